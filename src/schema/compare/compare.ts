import { type TableReference, tableKey } from "../../model/index.js";
import type {
  CheckLayout,
  ColumnLayout,
  DialectName,
  ForeignKeyLayout,
  IndexLayout,
  TableLayout,
} from "../../sql/index.js";
import { expressionForm, nameForm } from "../text/expression-form.js";
import type { Change, ColumnFact } from "./change.js";
import { collationForm, defaultForm, foreignKeyForm, indexForm, isForeign, typeForm } from "./forms.js";

/** What is in one list and not in the other, by what tells them apart. */
function apart<T, U>(
  found: readonly T[],
  wanted: readonly U[],
  ofFound: (one: T) => string,
  ofWanted: (one: U) => string,
): { readonly surplus: readonly T[]; readonly missing: readonly U[] } {
  const there = new Set(found.map(ofFound));
  const asked = new Set(wanted.map(ofWanted));
  return {
    surplus: found.filter((one) => !asked.has(ofFound(one))),
    missing: wanted.filter((one) => !there.has(ofWanted(one))),
  };
}

/** Compares the properties of two columns. */
function factsApart(
  found: ColumnLayout,
  wanted: ColumnLayout,
  isKey: boolean,
  dialect: DialectName,
): readonly ColumnFact[] {
  const facts: ColumnFact[] = [];
  // SQLite hands out the numbers of every "integer primary key", whatever a model says of them.
  const isAlike =
    found.isIdentity === wanted.isIdentity ||
    (dialect === "sqlite" && isKey) ||
    (found.isIdentity && wanted.unknown === "default");
  if (!isAlike) facts.push("identity");
  if (typeForm(found.type, dialect) !== typeForm(wanted.type, dialect)) facts.push("type");
  if (
    found.isNullable !== wanted.isNullable &&
    !isKey &&
    wanted.computed === undefined &&
    wanted.unknown !== "computation"
  )
    facts.push("null");
  if (wanted.isCollated && collationForm(found) !== collationForm(wanted)) facts.push("collation");
  const isHandedOut = found.isIdentity && wanted.isIdentity;
  if (!isHandedOut && wanted.unknown !== "default" && defaultForm(found, dialect) !== defaultForm(wanted, dialect))
    facts.push("default");
  const computed = ({ computed: one }: ColumnLayout) => (one === undefined ? "" : expressionForm(one.text, dialect));
  const isKnown = wanted.unknown !== "computation" || found.computed === undefined;
  if (isKnown && computed(found) !== computed(wanted)) facts.push("computation");
  return facts;
}

function* columnChanges(found: TableLayout, wanted: TableLayout, dialect: DialectName): Generator<Change> {
  const table = referenceOf(found);
  const { surplus, missing } = apart(
    found.columns,
    wanted.columns,
    ({ name }) => name,
    ({ name }) => name,
  );
  for (const column of surplus) yield { kind: "drop column", table, column };
  for (const column of missing) yield { kind: "add column", table, column };
  for (const to of wanted.columns) {
    const column = found.columns.find(({ name }) => name === to.name);
    if (column === undefined) continue;
    const isKey = found.primaryKey.columns.includes(to.name) && wanted.primaryKey.columns.includes(to.name);
    const facts = factsApart(column, to, isKey, dialect);
    if (facts.length > 0) yield { kind: "change column", table, column, to, facts };
  }
}

/** What is unique, be it by a constraint or by an index of whole rows. */
const uniqueForm = (columns: readonly string[]): string => JSON.stringify(columns);

const isPlainUnique = (index: IndexLayout, dialect: DialectName): boolean =>
  index.isUnique &&
  index.condition === undefined &&
  !isForeign(index, dialect) &&
  !index.parts.some(({ descending }) => descending);

const partColumns = ({ parts }: IndexLayout): readonly string[] => parts.map(({ column }) => column ?? "");

/** MariaDB makes an index for a foreign key that has none; it goes with the key. */
const isOfForeignKey = (index: IndexLayout, { foreignKeys }: TableLayout, dialect: DialectName): boolean =>
  dialect === "mariadb" &&
  !index.isUnique &&
  foreignKeys.some(({ columns }) => JSON.stringify(columns) === JSON.stringify(partColumns(index)));

function* indexChanges(found: TableLayout, wanted: TableLayout, dialect: DialectName): Generator<Change> {
  const table = referenceOf(found);
  const uniques = (layout: TableLayout) => [
    ...layout.uniques.map((key) => ({ key, index: undefined })),
    ...layout.indexes
      .filter((index) => isPlainUnique(index, dialect))
      .map((index) => ({ key: { name: index.name, columns: partColumns(index) }, index })),
  ];
  const columnsOf = ({ key }: ReturnType<typeof uniques>[number]) => uniqueForm(key.columns);
  const unique = apart(uniques(found), uniques(wanted), columnsOf, columnsOf);
  // An index of columns for which a model has none is the database's own.
  const isSaid = (columns: readonly (string | undefined)[]) =>
    !wanted.columns.some(({ name, isIndexable }) => isIndexable === false && columns.includes(name));
  for (const { key, index } of unique.surplus)
    if (isSaid(key.columns))
      yield index === undefined ? { kind: "drop unique", table, key } : { kind: "drop index", table, index };
  for (const { key, index } of unique.missing)
    yield index === undefined ? { kind: "add unique", table, key } : { kind: "create index", table, index };
  const form = (index: IndexLayout) => indexForm(index, dialect);
  const plain = ({ indexes }: TableLayout) =>
    indexes.filter((index) => !isForeign(index, dialect) && !isPlainUnique(index, dialect));
  const others = apart(plain(found), plain(wanted), form, form);
  for (const index of others.surplus)
    if (!isOfForeignKey(index, found, dialect) && isSaid(partColumns(index)))
      yield { kind: "drop index", table, index };
  for (const index of others.missing) yield { kind: "create index", table, index };
}

/** MariaDB's type JSON is a text with a rule. */
const isOfType = ({ text }: CheckLayout, { columns }: TableLayout, dialect: DialectName): boolean =>
  dialect === "mariadb" &&
  columns.some(({ name }) => expressionForm(text, dialect) === `json_valid(${nameForm(name)})`);

function* constraintChanges(found: TableLayout, wanted: TableLayout, dialect: DialectName): Generator<Change> {
  const table = referenceOf(found);
  // A model without a key says nothing of the table's.
  const hasKey = wanted.primaryKey.columns.length > 0;
  // Its columns stand in the model's order there, and in another one here.
  const keyForm = ({ primaryKey }: TableLayout) => uniqueForm([...primaryKey.columns].sort());
  if (hasKey && keyForm(found) !== keyForm(wanted)) {
    if (found.primaryKey.columns.length > 0) yield { kind: "drop primary key", table, key: found.primaryKey };
    yield { kind: "add primary key", table, key: wanted.primaryKey };
  }
  const ofForeignKey = (key: ForeignKeyLayout) => foreignKeyForm(key, dialect);
  const keys = apart(found.foreignKeys, wanted.foreignKeys, ofForeignKey, ofForeignKey);
  for (const key of keys.surplus) yield { kind: "drop foreign key", table, key };
  for (const key of keys.missing) yield { kind: "add foreign key", table, key };
  const checkForm = ({ text }: { readonly text: string }) => expressionForm(text, dialect);
  const checks = apart(found.checks, wanted.checks, checkForm, checkForm);
  for (const check of checks.surplus) if (!isOfType(check, found, dialect)) yield { kind: "drop check", table, check };
  for (const check of checks.missing) yield { kind: "add check", table, check };
}

const referenceOf = ({ schema, table }: TableReference): TableReference => ({ schema, table });

/**
 * What leads from tables that there are to tables that there are to be: tables, columns and what holds of them. Names
 * of constraints and indexes, comments, and what a model has no words for, such as an index of an expression, are no
 * difference.
 */
export function changesBetween(
  found: readonly TableLayout[],
  wanted: readonly TableLayout[],
  dialect: DialectName,
): readonly Change[] {
  const tables = found.filter(({ kind }) => kind === "table");
  const { surplus, missing } = apart(tables, wanted, tableKey, tableKey);
  const byKey = new Map(tables.map((table) => [tableKey(table), table]));
  const both = wanted.flatMap((table) => {
    const before = byKey.get(tableKey(table));
    return before === undefined ? [] : [[before, table] as const];
  });
  return [
    ...missing.map((table): Change => ({ kind: "create table", table })),
    ...both.flatMap(([before, after]) => [
      ...columnChanges(before, after, dialect),
      ...constraintChanges(before, after, dialect),
      ...indexChanges(before, after, dialect),
    ]),
    ...surplus.map((table): Change => ({ kind: "drop table", table })),
  ];
}
