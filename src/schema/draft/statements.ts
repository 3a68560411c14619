import type { Dialect, TableLayout } from "../../sql/index.js";
import { changesBetween } from "../compare/compare.js";
import { keepingOwn } from "./kept.js";
import { named } from "./named.js";
import type { Transition } from "./plan.js";
import { remakingColumns } from "./remade-columns.js";
import { type Renames, renameIn } from "./renames.js";
import { serverStatements } from "./servers.js";
import { sqliteStatements } from "./sqlite.js";

/** The way from tables that there are to those that there are to be, where some go on under other names. */
export function transitionBetween(
  found: readonly TableLayout[],
  wanted: readonly TableLayout[],
  renames: Renames,
  dialect: Dialect,
): Transition {
  const { tables, changes } = renameIn(found, renames, dialect);
  const target = keepingOwn(named(wanted, tables, dialect), tables, dialect);
  const way = { found: tables, wanted: target, changes: changesBetween(tables, target, dialect.name) };
  const whole = remakingColumns(way, dialect);
  return { ...whole, changes: [...changes, ...whole.changes] };
}

/** The statements of a way, in the order in which they are to be run. */
export const statementsOfTransition = (transition: Transition, dialect: Dialect): readonly string[] =>
  transition.changes.length === 0
    ? []
    : dialect.name === "sqlite"
      ? sqliteStatements(transition, dialect)
      : serverStatements(transition, dialect);
