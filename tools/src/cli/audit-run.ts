import pc from "picocolors";
import { type RunAudit, type RunFinding, runUnderLedger } from "../project/index.js";
import { fail, failed, plural, print, printJson, whereInterrupted, wrapped } from "./terminal.js";

/** How a command is audited. */
export interface AuditRunOptions {
  readonly failOn: "warning" | "note" | "never";
  readonly json: boolean;
  readonly verbose: boolean;
}

const findingText = ({ kind, severity, evidence, remedy, work, times, file, line }: RunFinding): string => {
  const colour = severity === "warning" ? pc.yellow : pc.magenta;
  const position = file === undefined ? "" : `${file}:${line} · `;
  return [
    `${colour(kind)}  ${pc.dim(`${position}${work}${times === 1 ? "" : `, ${times} times`}`)}`,
    wrapped(evidence, "   "),
    wrapped(pc.cyan(remedy), "   "),
  ].join("\n");
};

function runText({ ledgers, statements, findings }: RunAudit): string {
  const warnings = findings.filter(({ severity }) => severity === "warning").length;
  const figures = [
    `${plural(statements, "statement")} in ${plural(ledgers, "piece of work", "pieces of work")}`,
    plural(warnings, "warning"),
    plural(findings.length - warnings, "note"),
  ].join(" · ");
  return [...findings.map(findingText), (warnings > 0 ? pc.yellow : pc.green)(figures)].join("\n\n");
}

/** Runs a script or test command of the user's under a ledger, and tells what of what it sent is wasteful. */
export async function auditRun(command: readonly [string, ...string[]], options: AuditRunOptions): Promise<void> {
  try {
    const found = await runUnderLedger(command, options.json ? "errors" : "output", whereInterrupted);
    if (options.json) printJson(found);
    else print(`\n${runText(found)}`);
    const isFailure =
      options.failOn !== "never" &&
      found.findings.some(({ severity }) => options.failOn === "note" || severity === "warning");
    if (found.code !== 0) process.exitCode = found.code;
    else if (isFailure) process.exitCode = failed;
  } catch (error) {
    fail(error, options);
  }
}
