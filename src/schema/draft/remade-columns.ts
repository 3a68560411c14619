import { tableKey } from "../../model/index.js";
import type { ColumnLayout, Dialect, TableLayout } from "../../sql/index.js";
import type { Change } from "../compare/change.js";
import { indexForm, isForeign, takingFrom } from "../compare/forms.js";
import { expressionForm } from "../text/expression-form.js";
import { speaksOf } from "../text/tokens.js";
import { isConvertible } from "./conversion.js";
import { only, type Transition } from "./plan.js";

/**
 * Columns that are dropped and made anew: those that cannot be turned into what they are to be, and what is computed of
 * them.
 */
function remadeIn(
  found: TableLayout,
  wanted: TableLayout,
  changes: readonly Change[],
  dialect: Dialect,
): ReadonlySet<string> {
  const changing = only(changes, "change column");
  const remade = new Set(
    changing.filter(({ column, to }) => !isConvertible(column, to, dialect.name)).map(({ to }) => to.name),
  );
  const retyped = changing
    .filter(({ facts }) => facts.includes("type") || facts.includes("collation"))
    .map(({ to }) => to.name);
  // PostgreSQL refuses another type for what a computed column reads; nobody drops what is read.
  const read = new Set([
    ...remade,
    ...(dialect.name === "postgres" ? retyped : []),
    ...only(changes, "drop column").map(({ column }) => column.name),
  ]);
  for (const { name, computed } of found.columns)
    if (speaksOf(computed?.text, read, dialect.name) && wanted.columns.some((column) => column.name === name))
      remade.add(name);
  return remade;
}

/** The changes of one table, where its remade columns go and come, with all that holds of them. */
function* withRemade(
  found: TableLayout,
  wanted: TableLayout,
  changes: readonly Change[],
  dialect: Dialect,
): Generator<Change> {
  const names = remadeIn(found, wanted, changes, dialect);
  if (names.size === 0) {
    yield* changes;
    return;
  }
  const table = { schema: found.schema, table: found.table };
  const isGone = new Set<unknown>(
    changes.map((change) =>
      "key" in change ? change.key : "index" in change ? change.index : "check" in change ? change.check : undefined,
    ),
  );
  const has = (columns: readonly (string | undefined)[]) =>
    columns.some((name) => name !== undefined && names.has(name));
  yield* changes.filter((change) => change.kind !== "change column" || !names.has(change.to.name));
  for (const name of names) {
    yield { kind: "drop column", table, column: found.columns.find((column) => column.name === name) as ColumnLayout };
    yield { kind: "add column", table, column: wanted.columns.find((column) => column.name === name) as ColumnLayout };
  }
  if (!isGone.has(found.primaryKey) && has(found.primaryKey.columns)) {
    yield { kind: "drop primary key", table, key: found.primaryKey };
    yield { kind: "add primary key", table, key: wanted.primaryKey };
  }
  const { name: engine } = dialect;
  const staying = <T extends object>(all: readonly T[]) => all.filter((one) => !isGone.has(one));
  const uniqueAgain = takingFrom(staying(wanted.uniques), ({ columns }) => JSON.stringify(columns));
  for (const key of staying(found.uniques)) {
    const again = has(key.columns) ? uniqueAgain(key) : undefined;
    if (again === undefined) continue;
    yield { kind: "drop unique", table, key };
    yield { kind: "add unique", table, key: again };
  }
  const indexAgain = takingFrom(staying(wanted.indexes), (index) => indexForm(index, engine));
  for (const index of staying(found.indexes)) {
    if (isForeign(index, engine)) continue;
    if (!has(index.parts.map(({ column }) => column)) && !speaksOf(index.condition, names, engine)) continue;
    const again = indexAgain(index);
    if (again === undefined) continue;
    yield { kind: "drop index", table, index };
    yield { kind: "create index", table, index: again };
  }
  const checkAgain = takingFrom(staying(wanted.checks), ({ text }) => expressionForm(text, engine));
  for (const check of staying(found.checks)) {
    const again = speaksOf(check.text, names, engine) ? checkAgain(check) : undefined;
    if (again === undefined) continue;
    yield { kind: "drop check", table, check };
    yield { kind: "add check", table, check: again };
  }
}

/** A way on which columns that cannot be changed in place are dropped and made anew: their values are lost. */
export function remakingColumns(transition: Transition, dialect: Dialect): Transition {
  // SQLite makes such a table anew, with the rows that it has.
  if (dialect.name === "sqlite") return transition;
  const { found, wanted, changes } = transition;
  const changed = found.flatMap((table) => {
    const key = tableKey(table);
    const own = changes.filter((change) => tableKey(change.table) === key);
    const target = wanted.find((one) => tableKey(one) === key);
    return target === undefined || own.length === 0 ? own : [...withRemade(table, target, own, dialect)];
  });
  const others = changes.filter(({ table }) => !found.some((one) => tableKey(one) === tableKey(table)));
  return { ...transition, changes: [...others, ...changed] };
}
