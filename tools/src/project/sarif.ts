import type { FindingKind } from "gemach";
import type { ProjectAudit, ProjectFinding } from "./audit.js";

/** What each kind of finding is, in a sentence. */
const kindTexts: Readonly<Record<FindingKind, string>> = {
  repeat: "The N+1 pattern: one line of code reads in a loop.",
  echo: "The same statement with the same values, again.",
  "chatty-write": "One line of code writes in a loop, a row or a few with each call.",
  "fan-out": "A join whose rows repeat or multiply each other.",
  "idle-reach": "Relations or large columns that are fetched and never read.",
  "memory-count": "Rows that are fetched only to be counted.",
  "memory-cut": "Many rows fetched, few of them looked at.",
  unbounded: "A list without a limit that has many rows.",
  "long-transaction": "A transaction that is open while the database has nothing to do for it.",
  "missing-index": "A table is looked at whole where an index would find the rows.",
  "unindexed-sort": "Many rows are sorted for the first few of them.",
  "full-scan": "A large table is looked at whole for a few rows, and no index of columns could help.",
  misjudged: "The database's estimate is far from the truth.",
  "turned-plan": "A plan that is kept for all values is slower than one for each.",
  slow: "A statement that takes long.",
};

const resultOf = ({ kind, severity, evidence, remedy, query, database, file, line, statements }: ProjectFinding) => ({
  ruleId: kind,
  level: severity,
  message: { text: `${query} on ${database}: ${evidence} ${remedy}` },
  locations: [
    {
      physicalLocation: {
        artifactLocation: { uri: encodeURI(file).replaceAll(/[#?]/g, encodeURIComponent), uriBaseId: "%SRCROOT%" },
        region: { startLine: line },
      },
      logicalLocations: [{ name: query, kind: "variable" }],
    },
  ],
  partialFingerprints: { finding: [kind, query, database].join("/") },
  properties: { database, statements },
});

/** An audit in the Static Analysis Results Interchange Format, version 2.1.0 (OASIS). */
export function sarifOf({ findings, failures }: ProjectAudit, version: string): object {
  const kinds = [...new Set(findings.map(({ kind }) => kind))];
  return {
    $schema: "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json",
    version: "2.1.0",
    runs: [
      {
        tool: {
          driver: {
            name: "gemach",
            semanticVersion: version,
            rules: kinds.map((id) => ({
              id,
              shortDescription: { text: (kindTexts as Readonly<Record<string, string>>)[id] ?? id },
            })),
          },
        },
        invocations: [
          {
            executionSuccessful: failures.length === 0,
            toolExecutionNotifications: failures.map(({ query, database, message }) => ({
              level: "error",
              message: { text: `${query} on ${database}: ${message}` },
            })),
          },
        ],
        results: findings.map(resultOf),
      },
    ],
  };
}
