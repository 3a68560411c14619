import type { Dialect, TableLayout } from "../../sql/index.js";
import { oneLine, quotedSql, sqlRemark } from "../../written/index.js";
import { type Change, changeLabel, tableLabel } from "../compare/change.js";
import { type Precondition, remarks } from "../migrations/migration.js";
import { lossesIn } from "./losses.js";
import { only, type Transition } from "./plan.js";
import { preconditionsOf } from "./preconditions.js";
import type { Renames } from "./renames.js";
import { statementsOfTransition, transitionBetween } from "./statements.js";

/** A migration as it is drafted for one engine. */
export interface Draft {
  readonly transition: Transition;
  readonly changes: readonly Change[];
  readonly statements: readonly string[];
  /** The losses of data and narrowed types, in words by which they can be allowed. */
  readonly losses: readonly string[];
  readonly preconditions: readonly Precondition[];
  /** The statements that undo it, and what they cannot bring back. */
  readonly undo: { readonly statements: readonly string[]; readonly preconditions: readonly Precondition[] };
}

/** The renames that take others back. */
const renamesBack = (changes: readonly Change[]): Renames => ({
  tables: Object.fromEntries(
    only(changes, "rename table").map(({ table: { schema, table }, to }) => [tableLabel({ schema, table: to }), table]),
  ),
  columns: Object.fromEntries(
    only(changes, "rename column").map(({ table, column, to }) => [`${tableLabel(table)}.${to}`, column]),
  ),
});

/** Drafts what leads from tables that there are to those that there are to be, and back. */
export function draftBetween(
  found: readonly TableLayout[],
  wanted: readonly TableLayout[],
  renames: Renames,
  dialect: Dialect,
): Draft {
  const transition: Transition = transitionBetween(found, wanted, renames, dialect);
  const back = transitionBetween(
    transition.wanted,
    found.filter(({ kind }) => kind === "table"),
    renamesBack(transition.changes),
    dialect,
  );
  return {
    transition,
    changes: transition.changes,
    statements: statementsOfTransition(transition, dialect),
    losses: lossesIn(transition.changes, dialect.name),
    preconditions: preconditionsOf(transition, dialect),
    undo: { statements: statementsOfTransition(back, dialect), preconditions: preconditionsOf(back, dialect) },
  };
}

const engines: Readonly<Record<string, string>> = { sqlite: "SQLite", postgres: "PostgreSQL", mariadb: "MariaDB" };

const preconditionLines = (preconditions: readonly Precondition[]): readonly string[] =>
  preconditions.flatMap(({ meaning, query }) => [`${remarks.precondition} ${oneLine(meaning)}`, ...quotedSql(query)]);

const body = (statements: readonly string[]): string =>
  statements.length === 0 ? "" : `\n${statements.map((one) => `${one};\n`).join("\n")}`;

/** The parts of the text of a migration. */
type MigrationParts = Pick<Draft, "changes" | "losses" | "preconditions" | "statements"> & {
  readonly isApart?: boolean;
};

/** The text of a migration's file. */
export function migrationText(
  draft: MigrationParts,
  name: string,
  { name: dialect }: Dialect,
  others: readonly string[] = [],
): string {
  const head = [
    sqlRemark(`${name}, for ${engines[dialect]}.`),
    ...(draft.isApart === true ? [`${remarks.apart}: what runs here keeps nobody waiting`] : []),
    ...draft.changes.map((change) => sqlRemark(changeLabel(change))),
    ...draft.losses.map((loss) => sqlRemark(`loses or narrows: ${loss}`)),
    ...others.map(sqlRemark),
    ...preconditionLines(draft.preconditions),
  ];
  return `${head.join("\n")}\n${body(draft.statements)}`;
}

/** The text of the file that undoes it. */
export function undoText(
  { undo, losses, isApart = false }: Pick<Draft, "undo" | "losses"> & { readonly isApart?: boolean },
  name: string,
  { name: dialect }: Dialect,
): string {
  const gone = losses
    .filter((loss) => loss.startsWith("drop"))
    .map((loss) => sqlRemark(`the values of this are gone: ${loss}`));
  const head = [
    sqlRemark(`Undoes ${name}, for ${engines[dialect]}.`),
    ...(isApart ? [remarks.apart] : []),
    ...gone,
    ...preconditionLines(undo.preconditions),
  ];
  return `${head.join("\n")}\n${body(undo.statements)}`;
}
