import { writeFileSync } from "node:fs";
import { resolve } from "node:path";
import { toolError } from "gemach/tooling";
import pc from "picocolors";
import {
  auditModel,
  auditProject,
  type ModelAdvice,
  markdownOf,
  newSince,
  type Project,
  type ProjectAudit,
  type ProjectFinding,
  queryNamed,
  sarifOf,
  saveBaseline,
} from "../project/index.js";
import { leftOutText } from "./queries.js";
import { failed, jsonText, plural, print, printJson, progress, progressEnds, wrapped } from "./terminal.js";

/** Options of the command `audit`. */
export interface AuditCommand {
  readonly database: readonly string[];
  readonly markdown: string | undefined;
  readonly sarif: string | undefined;
  readonly baseline: string | undefined;
  readonly saveBaseline: string | undefined;
  readonly failOn: "warning" | "note" | "never";
  /** Whether the model, its indexes, and what servers remember are looked at too. */
  readonly model: boolean;
  readonly json: boolean;
}

/** Findings of one query with one remedy, together. */
function findingText(findings: readonly ProjectFinding[]): string {
  const [{ severity, query, database, file, line, remedy }] = findings as readonly [
    ProjectFinding,
    ...ProjectFinding[],
  ];
  const colour = severity === "warning" ? pc.yellow : pc.magenta;
  return [
    `${colour(findings.map(({ kind }) => kind).join(", "))}  ${pc.bold(query)} ${pc.dim(`${file}:${line} · ${database}`)}`,
    ...findings.map(({ evidence }) => wrapped(evidence, "   ")),
    wrapped(pc.cyan(remedy.replace("; and in the model", ";\nand in the model")), "   "),
  ].join("\n");
}

/** Findings by their query and remedy, in the order of the first of each. */
function together(findings: readonly ProjectFinding[]): readonly (readonly ProjectFinding[])[] {
  const groups = new Map<string, ProjectFinding[]>();
  for (const finding of findings) {
    const name = [finding.query, finding.database, finding.remedy].join("\n");
    groups.set(name, [...(groups.get(name) ?? []), finding]);
  }
  return [...groups.values()];
}

function auditText(
  { queries, databases, statements, findings, accepted, failures }: ProjectAudit,
  project: Project,
): string {
  const parts = together(findings).map(findingText);
  for (const { kind, query, database, reason } of accepted)
    parts.push(wrapped(pc.dim(`${kind}  ${query} on ${database} is meant: ${reason}`)));
  for (const { query, database, code, message } of failures)
    parts.push(`${pc.red(code)}  ${pc.bold(query)} ${pc.dim(database)}\n${wrapped(message, "   ")}`);
  const warnings = findings.filter(({ severity }) => severity === "warning").length;
  const figures = [
    `${plural(queries, "query", "queries")} on ${databases.join(", ")}, ${plural(statements, "statement")}`,
    plural(warnings, "warning"),
    plural(findings.length - warnings, "note"),
    ...(failures.length === 0 ? [] : [`${failures.length} could not be looked at`]),
    ...(project.leftOut.length === 0 ? [] : [`${plural(project.leftOut.length, "function")} left out`]),
  ];
  if (project.leftOut.length > 0) parts.push(leftOutText(project));
  return [...parts, (warnings > 0 || failures.length > 0 ? pc.yellow : pc.green)(figures.join(" · "))].join("\n\n");
}

const adviceText = ({ kind, severity, evidence, remedy, database }: ModelAdvice): string => {
  const colour = severity === "warning" ? pc.yellow : pc.magenta;
  return [
    `${colour(kind)}  ${pc.dim(database ?? "the model")}`,
    wrapped(evidence, "   "),
    wrapped(pc.cyan(remedy), "   "),
  ].join("\n");
};

/** Whether findings are to end with an error. */
const isFailure = (findings: readonly Pick<ProjectFinding, "severity">[], failOn: AuditCommand["failOn"]): boolean =>
  failOn !== "never" && findings.some(({ severity }) => failOn === "note" || severity === "warning");

/** Explains every query of a project on every database, and tells what is wasteful. */
export async function audit(
  project: Project,
  names: readonly string[],
  options: AuditCommand,
  version: string,
): Promise<void> {
  for (const name of names) queryNamed(project, name);
  if (project.queries.length === 0)
    throw toolError("SETTINGS_INVALID", {
      file: "gemach.config.ts",
      reason:
        project.leftOut.length === 0
          ? "'queries' names no module that exports any"
          : `'queries' names modules that export functions alone, and 'samples' names none of them (${project.leftOut.map(({ name }) => name).join(", ")})`,
    });
  const found = await auditProject(project, {
    ...(names.length === 0 ? {} : { queries: names }),
    ...(options.database.length === 0 ? {} : { databases: options.database }),
    progress,
  });
  const advice = options.model ? await auditModel(project, found.databases) : [];
  progressEnds();
  if (options.saveBaseline !== undefined) saveBaseline(resolve(options.saveBaseline), found.findings);
  const findings =
    options.baseline === undefined ? found.findings : newSince(resolve(options.baseline), found.findings);
  const known = found.findings.length - findings.length;
  const shown = { ...found, findings };
  if (options.markdown !== undefined) writeFileSync(options.markdown, markdownOf(shown));
  if (options.sarif !== undefined) writeFileSync(options.sarif, `${jsonText(sarifOf(shown, version))}\n`);
  if (options.json)
    printJson({ ...shown, leftOut: project.leftOut, known, ...(options.model ? { model: advice } : {}) });
  else {
    if (advice.length > 0) print(`${pc.bold("The model and its tables")}\n\n${advice.map(adviceText).join("\n\n")}\n`);
    if (options.model) print(pc.bold("The queries\n"));
    print(auditText(shown, project));
    if (known > 0)
      print(pc.dim(`${plural(known, "finding")} of the baseline ${known === 1 ? "is" : "are"} not shown.`));
    for (const file of [options.markdown, options.sarif, options.saveBaseline])
      if (file !== undefined) print(`Written to ${file}`);
  }
  if (
    options.saveBaseline === undefined &&
    (found.failures.length > 0 || isFailure([...findings, ...advice], options.failOn))
  )
    process.exitCode = failed;
}
