import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { escaped, toolError } from "gemach/tooling";
import type { ProjectFinding } from "./audit.js";

/** What a finding is known by: its numbers and lines may change. */
const knownBy = ({
  kind,
  query,
  database,
  remedy,
}: Pick<ProjectFinding, "kind" | "query" | "database" | "remedy">): string =>
  JSON.stringify([kind, query, database, remedy.replaceAll(/\d+/g, "n")]);

/** Writes findings down, so that later audits fail on new ones alone. */
export function saveBaseline(file: string, findings: readonly ProjectFinding[]): void {
  const known = findings.map(({ kind, query, database, remedy }) => ({ kind, query, database, remedy }));
  writeFileSync(file, `${escaped(JSON.stringify({ gemach: "baseline", findings: known }, null, 2))}\n`);
}

/**
 * Findings that a baseline does not have.
 * @throws GemachError `SETTINGS_INVALID` where the file is none
 */
export function newSince(file: string, findings: readonly ProjectFinding[]): readonly ProjectFinding[] {
  if (!existsSync(file)) throw toolError("SETTINGS_MISSING", { file });
  let known: ReadonlySet<string>;
  try {
    const { findings: saved } = JSON.parse(readFileSync(file, "utf8")) as { findings: readonly ProjectFinding[] };
    known = new Set(saved.map(knownBy));
  } catch (cause) {
    throw toolError("SETTINGS_INVALID", { file, reason: "it is no baseline of an audit" }, { cause });
  }
  return findings.filter((finding) => !known.has(knownBy(finding)));
}
