import type { Database } from "../database/index.js";
import type { Accepted, Thresholds } from "../findings/index.js";

/** A database that was opened for a command, which closes it at its end. */
export interface OpenedDatabase {
  readonly db: Database;
  readonly close: () => unknown;
}

/**
 * The settings of a project, the default export of `gemach.config.ts`. Paths are seen from its folder.
 */
export interface ProjectSettings {
  /**
   * Databases by name; the first is taken where none is named. Each is a URL (`sqlite:file`, `postgres://…`,
   * `mariadb://…`, `pglite:folder`), or a function that opens one.
   */
  readonly databases: Readonly<Record<string, string | (() => OpenedDatabase | Promise<OpenedDatabase>)>>;
  /** The module that exports the model. */
  readonly model?: string;
  /** The folder of migrations; "migrations" where it is left out. */
  readonly migrations?: string;
  /** The modules that export queries: queries, templates, and functions that give a query. */
  readonly queries?: string | readonly string[];
  /**
   * The parameters of templates and the arguments of functions where they are looked at, by the name of the query: an
   * object of parameters, or a list of arguments.
   */
  readonly samples?: Readonly<Record<string, Readonly<Record<string, unknown>> | readonly unknown[]>>;
  /** From when on something is a finding. */
  readonly thresholds?: Partial<Thresholds>;
  /** Findings that are meant. */
  readonly accepts?: readonly Accepted[];
}
