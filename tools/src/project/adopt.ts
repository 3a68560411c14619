import { existsSync, writeFileSync } from "node:fs";
import { basename, dirname, join, relative, resolve } from "node:path";
import { GemachError } from "gemach";
import {
  type Adoption,
  adoptTables,
  type Change,
  changeLabel,
  changesBetween,
  evidenceIn,
  type Guess,
  guessRelations,
  readTables,
  startText,
} from "gemach/schema";
import { columnLines, entityLines, labelOf, relationLine, type TableLayout, tableKey } from "gemach/tooling";
import { tablesOfModel } from "./entities.js";
import type { Project } from "./load.js";
import { nextMigration, writeMigration } from "./migration-folder.js";
import { openDatabase } from "./open.js";

/** How a database is adopted. */
export interface AdoptOptions {
  readonly database?: string | undefined;
  /** Further schemas than the one that the connection sees without naming it. */
  readonly schemas?: readonly string[];
  /** The module to write; that of the settings by default, else "model.ts". */
  readonly out?: string | undefined;
  /** The name of the model's class. */
  readonly name?: string | undefined;
  /** Whether relations that no constraint backs are proposed. */
  readonly guesses?: boolean;
  /** Whether each schema gets a module of its own beside that of the model. */
  readonly isPerSchema?: boolean;
  /** Whether no migration is written that says what was there. */
  readonly skipsStart?: boolean;
  readonly isDry?: boolean;
  readonly progress?: (what: string) => void;
}

/** A database that became a model, or what differs from the model that there is. */
export interface ProjectAdoption {
  readonly file: string;
  readonly adoption: Adoption;
  readonly guesses: readonly Guess[];
  readonly written: readonly string[];
  /** Where the module was there already: what the database has and it has not, in the notation of a model. */
  readonly differences: readonly { readonly sign: "+" | "-" | "~"; readonly lines: readonly string[] }[] | undefined;
}

/** A change that a model would need to be as the database is, in its own notation. */
function noted(
  change: Change,
  { tables }: Adoption,
): { readonly sign: "+" | "-" | "~"; readonly lines: readonly string[] } {
  const table = tables.find(({ adopted }) => tableKey(adopted.layout) === tableKey(change.table));
  const entity = table?.adopted.entity ?? change.table.table;
  const columnOf = (name: string) => table?.adopted.columns.find(({ column }) => column === name);
  const indented = (lines: readonly string[]) => lines.map((line) => `  ${line}`);
  switch (change.kind) {
    case "drop table":
      return { sign: "+", lines: table === undefined ? [entity] : entityLines(table.adopted, table.relations, "") };
    case "create table":
      return {
        sign: "-",
        lines: [`${change.table.entity ?? entity}: the database has no table ${change.table.table}`],
      };
    case "drop column": {
      const column = columnOf(change.column.name);
      return { sign: "+", lines: [`${entity}:`, ...(column === undefined ? [] : indented(columnLines(column)))] };
    }
    case "add column":
      return { sign: "-", lines: [`${entity}:`, `  ${change.column.name}: the table has no such column`] };
    case "change column": {
      const column = columnOf(change.column.name);
      return { sign: "~", lines: [`${entity}:`, ...(column === undefined ? [] : indented(columnLines(column)))] };
    }
    case "drop foreign key": {
      const columns = JSON.stringify(change.key.columns.map((name) => columnOf(name)?.property).sort());
      const relation = table?.relations.find(
        ({ call, options }) => call === "toOne" && JSON.stringify([options.by].flat().sort()) === columns,
      );
      return { sign: "+", lines: [`${entity}:`, ...(relation === undefined ? [] : [relationLine(relation, "  ")])] };
    }
    default:
      return {
        sign: change.kind.startsWith("drop") ? "+" : "-",
        lines: [`${entity}: ${changeLabel(change).replace(/^(?:drop|add|create) /, "")}`],
      };
  }
}

/** What a database has, and the model that there is has not, and the other way round. */
function differencesOf(
  project: Project,
  found: readonly TableLayout[],
  adoption: Adoption,
  dialect: Parameters<typeof tablesOfModel>[1],
) {
  const wanted = tablesOfModel(project, dialect);
  return changesBetween(found, wanted, dialect.name).map((change) => noted(change, adoption));
}

/**
 * Makes a model of a database, and a migration that says what was there; where the module is there already, tells what
 * differs from it, and writes nothing.
 */
export async function adoptDatabase(project: Project, options: AdoptOptions = {}): Promise<ProjectAdoption> {
  const { db, close } = await openDatabase(project, options.database);
  try {
    options.progress?.("reading the catalogue");
    const found = await readTables(db, [undefined, ...(options.schemas ?? [])]);
    const evidence = await evidenceIn(db, found, options.progress);
    options.progress?.("looking for relations");
    const guesses = options.guesses === true ? await guessRelations(db, found) : [];
    const adoption = adoptTables(found, db.dialect, {
      evidence,
      guesses,
      ...(options.name === undefined ? {} : { name: options.name }),
    });
    const path = resolve(project.folder, options.out ?? project.settings.model ?? "model.ts");
    const file = relative(process.cwd(), path);
    if (existsSync(path) && project.model === undefined)
      throw new GemachError("FILE_UNUSABLE", { file, reason: "it is there already, and adopting writes over nothing" });
    if (existsSync(path))
      return { file, adoption, guesses, written: [], differences: differencesOf(project, found, adoption, db.dialect) };
    const written: string[] = [];
    if (options.isDry !== true) {
      const parts =
        options.isPerSchema === true
          ? adoption.sources(basename(path).replace(/\..*$/, ""))
          : new Map([["", adoption.source]]);
      for (const [part, source] of parts) {
        const own = part === "" ? path : join(dirname(path), `${part}.ts`);
        writeFileSync(own, source, { flag: "wx" });
        written.push(relative(process.cwd(), own));
      }
      const { names, number } = nextMigration(project);
      if (names.length === 0 && options.skipsStart !== true)
        written.push(
          ...writeMigration(project, labelOf({ number, name: "start" }), {
            [db.dialect.name]: { forward: startText(found, db.dialect), undo: undefined },
          }),
        );
    }
    return { file, adoption, guesses, written, differences: undefined };
  } finally {
    await close();
  }
}
