import { markdownBlock, markdownCode, markdownText, visibleLines } from "gemach/tooling";
import type { ProjectAudit, ProjectFinding } from "./audit.js";

const findingText = ({ kind, severity, query, database, file, line, evidence, remedy, statements }: ProjectFinding) =>
  [
    `### ${severity}: ${kind}, ${markdownText(query)} on ${markdownText(database)}`,
    markdownCode(`${file}:${line}`),
    markdownText(evidence),
    `**Remedy.** ${markdownText(remedy)}`,
    ...statements.map((text) => markdownBlock(visibleLines(text), "sql")),
  ].join("\n\n");

/** An audit as a report in Markdown. */
export function markdownOf({ queries, databases, statements, findings, accepted, failures }: ProjectAudit): string {
  const parts = [
    "# Audit of the project's queries",
    `${queries} queries on ${databases.map(markdownText).join(", ")}: ${statements} statements, ${findings.length} findings, ${accepted.length} more that are meant, ${failures.length} that could not be looked at.`,
    ...(findings.length === 0 ? [] : ["## Findings", ...findings.map(findingText)]),
    ...(accepted.length === 0
      ? []
      : [
          "## Meant",
          accepted
            .map(({ kind, query, reason }) => `- ${kind}, ${markdownText(query)}: ${markdownText(reason ?? "")}`)
            .join("\n"),
        ]),
    ...(failures.length === 0
      ? []
      : [
          "## Not looked at",
          failures
            .map(
              ({ query, database, message }) =>
                `- ${markdownText(query)} on ${markdownText(database)}: ${markdownText(message)}`,
            )
            .join("\n"),
        ]),
  ];
  return `${parts.join("\n\n")}\n`;
}
