import { checked, type Scalar } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { qualified, type ResolvedColumn, type ResolvedEntity } from "../expression/index.js";
import { ownIssues } from "../model/index.js";
import type { Dialect, Wire } from "./dialect.js";
import { qualifiedTable } from "./print.js";
/** A new row, as the user gives it. */
export type GivenRow = Readonly<Record<string, unknown>>;

/**
 * The columns that an insert names: all but those for which the database has a value of its own,
 * unless a row brings one.
 */
function columnsFor(entity: ResolvedEntity, rows: readonly GivenRow[]): readonly ResolvedColumn[] {
  for (const row of rows)
    for (const name of Object.keys(row))
      if (!entity.members.has(name))
        throw new GemachError("NAME_UNKNOWN", { entity: entity.name, name, known: [...entity.members.keys()] });
  const columns = [...entity.columns.values()];
  for (const column of columns)
    if (column.isComputed && rows.some((row) => givenFor(row, column).given !== undefined))
      throw new GemachError("COLUMN_COMPUTED", { column: qualified(column) });
  return columns.filter(
    (column) =>
      (column.kind !== "identity" && column.defaultValue === undefined && !column.isComputed) ||
      rows.some((row) => givenFor(row, column).given !== undefined),
  );
}

/** What a row has for a column, and whether the value object that the column is part of is there. */
function givenFor(
  row: GivenRow,
  { property }: ResolvedColumn,
): { readonly given: unknown; readonly isInside: boolean } {
  const names = property.split(".");
  const last = names.pop() as string;
  let at: unknown = row;
  for (const name of names) {
    at = (at as GivenRow)[name];
    if (at === null || at === undefined) return { given: undefined, isInside: false };
  }
  return { given: (at as GivenRow)[last], isInside: true };
}

/** A new row's value: given, made by code, the database's default, or null. */
function valueFor(row: GivenRow, column: ResolvedColumn): Scalar {
  const label = qualified(column);
  const { given, isInside } = givenFor(row, column);
  if (!isInside && column.isNullable) return null;
  if (given === undefined && column.initial === undefined) {
    if (column.defaultValue !== undefined) return column.defaultValue;
    if (!column.isRequired) return null;
  }
  const value = given === undefined && column.initial !== undefined ? column.initial() : given;
  // JSON has a null of its own.
  if (value === null && column.kind === "json" && column.isRequired) return "null";
  const canonical = checked(value, column.type, label);
  if (canonical === null && column.isRequired)
    throw new GemachError("VALUE_UNFIT", { column: label, expected: "a value", got: "null" });
  const [issue] = canonical === null ? [] : ownIssues(column, value);
  if (issue !== undefined) throw new GemachError("VALUE_REFUSED", { column: label, reason: issue.message });
  return canonical;
}

/** The requests that insert the rows: one for all where the engine takes arrays, else one for each. */
export function insertRequests(
  entity: ResolvedEntity,
  rows: readonly GivenRow[],
  dialect: Dialect,
): readonly { readonly text: string; readonly parameters: readonly Wire[] }[] {
  if (entity.isReadOnly) throw new GemachError("ENTITY_READ_ONLY", { entity: entity.name });
  if (rows.length === 0) return [];
  const columns = columnsFor(entity, rows);
  const values = rows.map((row) => columns.map((column) => valueFor(row, column)));
  const into = `insert into ${qualifiedTable(entity, dialect)} (${columns.map((column) => dialect.quote(column.name)).join(", ")})`;
  if (dialect.insertArrays !== undefined) {
    const types = columns.map(({ type }) => type);
    const identity = columns.find(({ kind }) => kind === "identity")?.name;
    const text = dialect.insertArrays({ into, table: qualifiedTable(entity, dialect), types, identity });
    const parameters = columns.map((column, i) =>
      dialect.encode({ kind: "list", values: values.map((row) => row[i] as Scalar), type: column.type }),
    );
    return [{ text, parameters }];
  }
  const row = `(${columns.map(() => "?").join(", ")})`;
  const encoded = values.map((given) =>
    given.map((value, i) => dialect.encode({ kind: "value", value, type: (columns[i] as ResolvedColumn).type })),
  );
  return inPortions(encoded, dialect.rowsPerInsert).map((portion) => ({
    text: `${into} values ${portion.map(() => row).join(", ")}`,
    parameters: portion.flat(),
  }));
}

/** The rows in portions of the given sizes, the largest first. */
function inPortions<T>(rows: readonly T[], sizes: readonly number[]): readonly (readonly T[])[] {
  const portions: (readonly T[])[] = [];
  let at = 0;
  for (const size of sizes) for (; at + size <= rows.length; at += size) portions.push(rows.slice(at, at + size));
  return portions;
}
