import { checked, comparedKind, type Scalar } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  columnAt,
  pathTo,
  type QueryState,
  qualified,
  type ResolvedColumn,
  type ResolvedEntity,
  typeOf,
} from "../expression/index.js";
import { ownIssues } from "../model/index.js";
import type { RowPlan } from "../plan/index.js";
import { rowAt as referenceOf } from "../query/index.js";
import type { Dialect, Wire } from "./dialect.js";
import { encodeParameter } from "./encode.js";
import { print, proposedRow, qualifiedTable } from "./print.js";
import { type Assignment, printInsertEnd } from "./print-write.js";
import { fieldsOf, selectOf } from "./queries.js";
import { commonOf, draftFrom, placeIn, type Scope, tableOf } from "./scope.js";
import { startScope, value } from "./translate-expression.js";
import type { Parameter } from "./tree.js";
import { changesOf, returned } from "./write.js";

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

/** What an insert does besides adding rows. */
export interface InsertOptions {
  /** What it gives back of each row. */
  readonly returning?: QueryState | undefined;
  /** The columns by which a row is found that is there already, and what becomes of it. */
  readonly conflict?: { readonly by: readonly ResolvedColumn[]; readonly set: ConflictSet } | undefined;
}

/** What a row that is there already is given; "given": all that the new row brings. */
export type ConflictSet = "given" | ((old: unknown, fresh: unknown) => unknown);

/** Statements that insert rows, and how what they give is assembled. */
export interface InsertStatements {
  readonly requests: readonly { readonly text: string; readonly parameters: readonly Wire[] }[];
  readonly rows: RowPlan | undefined;
}

/** What a row that is there already is given. */
function conflictSet(
  entity: ResolvedEntity,
  columns: readonly ResolvedColumn[],
  { by, set }: NonNullable<InsertOptions["conflict"]>,
  scope: Scope,
): readonly Assignment[] {
  const [old, fresh] = [{ entity }, { entity }];
  scope.places.set(old, placeIn(draftFrom(tableOf(entity, entity.table)), entity, entity.table));
  scope.places.set(fresh, placeIn(draftFrom(tableOf(entity, proposedRow)), entity, proposedRow));
  if (set !== "given")
    return changesOf(entity, set(referenceOf(old), referenceOf(fresh))).map(([column, node]) => ({
      column: column.name,
      value: value(scope, node),
    }));
  return columns
    .filter((column) => !by.includes(column) && !column.isKey)
    .map((column) => ({ column: column.name, value: value(scope, columnAt(pathTo(fresh), column)) }));
}

/** The statements that insert the rows: one for all where the engine takes arrays, else one for each portion. */
export function insertStatements(
  entity: ResolvedEntity,
  rows: readonly GivenRow[],
  dialect: Dialect,
  { returning, conflict }: InsertOptions = {},
): InsertStatements {
  if (entity.isReadOnly) throw new GemachError("ENTITY_READ_ONLY", { entity: entity.name });
  if (rows.length === 0) return { requests: [], rows: undefined };
  const columns = columnsFor(entity, rows);
  const values = rows.map((row) => columns.map((column) => valueFor(row, column)));
  const table = qualifiedTable(entity, dialect);
  const into = `insert into ${table} (${columns.map((column) => dialect.quote(column.name)).join(", ")})`;
  const given = returning === undefined ? undefined : returned(startScope(dialect), returning);
  const resolved =
    conflict === undefined
      ? undefined
      : {
          by: conflict.by.map((column) => column.name),
          set: conflictSet(entity, columns, conflict, startScope(dialect)),
        };
  const endAfter = (before: number) => {
    const { text, parameters } = printInsertEnd(resolved, given?.items ?? [], dialect, before);
    return { text, parameters: parameters.map((parameter) => encodeParameter(dialect, parameter, [])) };
  };
  // Rows of which the database makes up all.
  if (columns.length === 0) {
    const { text, parameters } = endAfter(0);
    const request = { text: `insert into ${table} ${dialect.emptyRow}${text}`, parameters };
    return { requests: rows.map(() => request), rows: given?.rows };
  }
  if (dialect.insertArrays !== undefined) {
    const types = columns.map(({ type }) => type);
    const identity = columns.find(({ kind }) => kind === "identity");
    const end = endAfter(columns.length);
    const isPlain = end.text === "";
    const text = dialect.insertArrays({ into, table, types, identity: isPlain ? identity?.name : undefined });
    const parameters = columns.map((column, i) =>
      dialect.encode({ kind: "list", values: values.map((row) => row[i] as Scalar), type: column.type }),
    );
    const insert = { text: text + end.text, parameters: [...parameters, ...end.parameters] };
    if (isPlain || identity === undefined) return { requests: [insert], rows: given?.rows };
    const last = Math.max(...values.map((row) => row[columns.indexOf(identity)] as number));
    return { requests: [insert, ...dialect.advance(table, identity.name, last)], rows: given?.rows };
  }
  const row = `(${columns.map(() => "?").join(", ")})`;
  const encoded = values.map((part) =>
    part.map((scalar, i) =>
      dialect.encode({ kind: "value", value: scalar, type: (columns[i] as ResolvedColumn).type }),
    ),
  );
  const end = endAfter(0);
  const requests = inPortions(encoded, dialect.rowsPerInsert).map((portion) => ({
    text: `${into} values ${portion.map(() => row).join(", ")}${end.text}`,
    parameters: [...portion.flat(), ...end.parameters],
  }));
  return { requests, rows: given?.rows };
}

/** The statement that inserts the rows of a query, its values in the columns of their names. */
export function insertFromStatement(
  entity: ResolvedEntity,
  query: QueryState,
  dialect: Dialect,
): { readonly text: string; readonly parameters: readonly Parameter[] } {
  if (entity.isReadOnly) throw new GemachError("ENTITY_READ_ONLY", { entity: entity.name });
  const fields = [...fieldsOf(query.projection)].map(([path, node]) => {
    const column = entity.columns.get(path);
    if (column === undefined)
      throw new GemachError("NAME_UNKNOWN", { entity: entity.name, name: path, known: [...entity.columns.keys()] });
    if (column.isComputed) throw new GemachError("COLUMN_COMPUTED", { column: qualified(column) });
    const { kind } = typeOf(node).type;
    if (comparedKind(kind) !== comparedKind(column.kind))
      throw new GemachError("VALUE_UNFIT", {
        column: qualified(column),
        expected: `an expression that is ${column.kind}`,
        got: kind,
      });
    return { column, node };
  });
  const names = fields.map(({ column }) => dialect.quote(column.name)).join(", ");
  const scope = startScope(dialect);
  const select = selectOf(
    scope,
    query,
    fields.map(({ node }) => [node, undefined]),
  );
  const { text, parameters } = print({ ...select, common: commonOf(scope) }, dialect);
  return { text: `insert into ${qualifiedTable(entity, dialect)} (${names}) ${text}`, parameters };
}

/** The rows in portions of the given sizes, the largest first. */
function inPortions<T>(rows: readonly T[], sizes: readonly number[]): readonly (readonly T[])[] {
  const portions: (readonly T[])[] = [];
  let at = 0;
  for (const size of sizes) for (; at + size <= rows.length; at += size) portions.push(rows.slice(at, at + size));
  return portions;
}
