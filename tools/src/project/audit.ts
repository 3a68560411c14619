import { audit, type Finding, GemachError, type LedgerStatement } from "gemach";
import type { Project, ProjectQuery } from "./load.js";
import { openDatabase } from "./open.js";

/** Options of an audit of a project. */
export interface ProjectAuditOptions {
  /** The names of the databases; all of the settings by default. */
  readonly databases?: readonly string[];
  /** The names of the queries; all that the project exports by default. */
  readonly queries?: readonly string[];
  /** Is told of each query before it is looked at. */
  readonly progress?: (what: string) => void;
}

/** A finding of a project: where, and of which query on which database. */
export interface ProjectFinding extends Omit<Finding, "statements" | "at"> {
  readonly query: string;
  readonly database: string;
  /** The module of the query, as seen from the folder of the settings. */
  readonly file: string;
  readonly line: number;
  /** The texts of the statements that it is about. */
  readonly statements: readonly string[];
}

/** A query that could not be looked at. */
export interface AuditFailure {
  readonly query: string;
  readonly database: string;
  readonly file: string;
  readonly line: number;
  readonly code: string;
  readonly message: string;
}

/** The result of an audit of a project. */
export interface ProjectAudit {
  /** How many queries were looked at, on how many databases. */
  readonly queries: number;
  readonly databases: readonly string[];
  readonly statements: number;
  readonly findings: readonly ProjectFinding[];
  /** Findings that are meant. */
  readonly accepted: readonly ProjectFinding[];
  readonly failures: readonly AuditFailure[];
}

const textOf = ({ select, text }: LedgerStatement): string => select ?? text;

const told = (
  { statements, at: _, ...finding }: Finding,
  { name, file, line }: ProjectQuery,
  database: string,
): ProjectFinding => ({
  ...finding,
  ...{ query: name, database, file, line },
  statements: [...new Set(statements.map(textOf))],
});

/** Explains every query of a project on every database of its settings, and tells what that shows. */
export async function auditProject(project: Project, options: ProjectAuditOptions = {}): Promise<ProjectAudit> {
  const { settings } = project;
  const databases = options.databases ?? Object.keys(settings.databases);
  const queries = project.queries.filter(({ name }) => options.queries?.includes(name) !== false);
  const findings: ProjectFinding[] = [];
  const accepted: ProjectFinding[] = [];
  const failures: AuditFailure[] = [];
  let statements = 0;
  for (const database of databases) {
    const { db, close } = await openDatabase(project, database);
    try {
      for (const one of queries) {
        options.progress?.(`${database}: ${one.name}`);
        try {
          const { thresholds = {}, accepts = [] } = settings;
          const at = { file: one.file, line: one.line, column: 1 };
          const found = await audit(db, one.query(), { thresholds, accepts, at });
          statements += found.statements.length;
          findings.push(...found.findings.map((finding) => told(finding, one, database)));
          accepted.push(...found.accepted.map((finding) => told(finding, one, database)));
        } catch (error) {
          if (!(error instanceof GemachError)) throw error;
          const { code, message } = error;
          failures.push({ query: one.name, database, file: one.file, line: one.line, code, message });
        }
      }
    } finally {
      await close();
    }
  }
  return { queries: queries.length, databases, statements, findings, accepted, failures };
}
