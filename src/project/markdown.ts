import type { ProjectAudit, ProjectFinding } from "./audit.js";

/** Text in which nothing is markup. */
const plain = (text: string): string => text.replaceAll(/[\\`*_{}[\]<>#|]/g, (sign) => `\\${sign}`);

const findingText = ({ kind, severity, query, database, file, line, evidence, remedy, statements }: ProjectFinding) =>
  [
    `### ${severity}: ${kind}, ${plain(query)} on ${plain(database)}`,
    `\`${file}:${line}\``,
    plain(evidence),
    `**Remedy.** ${plain(remedy)}`,
    ...statements.map((text) => `\`\`\`sql\n${text}\n\`\`\``),
  ].join("\n\n");

/** An audit as a report in Markdown. */
export function markdownOf({ queries, databases, statements, findings, accepted, failures }: ProjectAudit): string {
  const parts = [
    "# Audit of the project's queries",
    `${queries} queries on ${databases.join(", ")}: ${statements} statements, ${findings.length} findings, ${accepted.length} more that are meant, ${failures.length} that could not be looked at.`,
    ...(findings.length === 0 ? [] : ["## Findings", ...findings.map(findingText)]),
    ...(accepted.length === 0
      ? []
      : [
          "## Meant",
          accepted.map(({ kind, query, reason }) => `- ${kind}, ${plain(query)}: ${plain(reason ?? "")}`).join("\n"),
        ]),
    ...(failures.length === 0
      ? []
      : [
          "## Not looked at",
          failures
            .map(({ query, database, message }) => `- ${plain(query)} on ${plain(database)}: ${plain(message)}`)
            .join("\n"),
        ]),
  ];
  return `${parts.join("\n\n")}\n`;
}
