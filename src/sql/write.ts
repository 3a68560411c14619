import { checked, comparedKind, type Scalar } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  allOf,
  columnAt,
  isExpression,
  type Node,
  nodeOf,
  partsOf,
  pathTo,
  type QueryState,
  qualified,
  type ResolvedColumn,
  type ResolvedEntity,
  type Source,
  setIn,
  typeOf,
} from "../expression/index.js";
import { ownIssues } from "../model/index.js";
import { isCut, planList, type RowPlan } from "../plan/index.js";
import type { Dialect } from "./dialect.js";
import { leavesRow } from "./leaves.js";
import { type Assignment, printWrite, type Write } from "./print-write.js";
import { selectOfKeys } from "./queries.js";
import { columnOf, commonOf, draftFrom, type Place, placeIn, type Scope, tableOf } from "./scope.js";
import { condition, startScope, value } from "./translate-expression.js";
import type { Parameter, SelectItem, SqlExpression } from "./tree.js";

/** A statement that writes, and how the rows that it gives are assembled. */
export interface WriteStatement {
  readonly text: string;
  readonly parameters: readonly Parameter[];
  readonly rows: RowPlan | undefined;
}

/** What a write gives back of each row: what a query of these rows would. */
export function returned(
  scope: Scope,
  query: QueryState,
): { readonly items: readonly SelectItem[]; readonly rows: RowPlan } {
  const { outputs, rows } = planList({ ...query, reach: [] }, { strategy: "auto" });
  const { source } = query;
  scope.places.set(source, placeIn(draftFrom(tableOf(source.entity, "")), source.entity, ""));
  const items = outputs.map((output): SelectItem => {
    const isValue =
      output.kind !== "rowCount" && output.kind !== "presence" && output.kind !== "owner" && output.kind !== "nested";
    if (!isValue || leaves(output)) throw new GemachError("RETURN_BEYOND_ROW", { entity: source.entity.name });
    return { expression: value(scope, output), alias: undefined, read: typeOf(output).type };
  });
  return { items, rows };
}

/** Whether an expression needs more than the row itself. */
const leaves = (node: Node): boolean =>
  leavesRow(node) || hasSubquery(node) || node.kind === "group" || node.kind === "window" || partsOf(node).some(leaves);

/** The rows that a query means, by its conditions if that will do, else by their keys. */
function conditionsOf(scope: Scope, query: QueryState, place: Place): readonly SqlExpression[] {
  const { where, source } = query;
  const isDirect = !isCut(query) && query.cursor === undefined && !where.some((node) => needsKeys(scope.dialect, node));
  const direct = isDirect ? where.map((node) => condition(scope, node)) : [];
  // A write names no queries before it begins; the select of its keys may.
  if (isDirect && scope.common.size === 0) return direct;
  const inner = startScope(scope.dialect);
  const keys = source.entity.key.map((column) => columnAt(pathTo(source), column));
  const select = { ...selectOfKeys(inner, query, keys), common: commonOf(inner) };
  return [
    { kind: "inSelect", operands: source.entity.key.map((column) => columnOf(place, column)), select, negated: false },
  ];
}

/** Conditions over paths need joins, which a write has not; an engine may refuse to look into the table that it writes. */
const needsKeys = (dialect: Dialect, node: Node): boolean =>
  leavesRow(node) || (!dialect.seesTableWhileWriting && hasSubquery(node));

const hasSubquery = (node: Node): boolean =>
  setIn(node) !== undefined ||
  node.kind === "inQuery" ||
  node.kind === "existsQuery" ||
  partsOf(node).some(hasSubquery);

/** What a change gives a column: a value in the form for dialects, or an expression of its kind. */
export function assigned(column: ResolvedColumn, given: unknown): Node {
  const label = qualified(column);
  if (column.isComputed) throw new GemachError("COLUMN_COMPUTED", { column: label });
  if (isExpression(given)) {
    const node = nodeOf(given);
    const { kind } = typeOf(node).type;
    if (comparedKind(kind) !== comparedKind(column.kind))
      throw new GemachError("VALUE_UNFIT", {
        column: label,
        expected: `an expression that is ${column.kind}`,
        got: kind,
      });
    return node;
  }
  const isJsonNull = given === null && column.kind === "json" && column.isRequired;
  const canonical: Scalar = isJsonNull ? "null" : checked(given, column.type, label);
  if (canonical === null && !column.isNullable)
    throw new GemachError("VALUE_UNFIT", { column: label, expected: "a value", got: "null" });
  const [issue] = canonical === null ? [] : ownIssues(column, given);
  if (issue !== undefined) throw new GemachError("VALUE_REFUSED", { column: label, reason: issue.message });
  return { kind: "value", value: canonical, type: column.type };
}

/** The columns that an object of changes names, also those inside of value objects; null for one empties all of its columns. */
export function changesOf(
  { members, name }: Pick<ResolvedEntity, "members" | "name">,
  changes: unknown,
): readonly (readonly [ResolvedColumn, Node])[] {
  return Object.entries(changes as object).flatMap(([property, given]): (readonly [ResolvedColumn, Node])[] => {
    const member = members.get(property);
    if (member === undefined)
      throw new GemachError("NAME_UNKNOWN", { entity: name, name: property, known: [...members.keys()] });
    if (!("fields" in member)) return [[member, assigned(member, given)]];
    if (given !== null) return [...changesOf({ members: member.fields, name }, given)];
    return [...member.fields.keys()].flatMap((field) => changesOf({ members: member.fields, name }, { [field]: null }));
  });
}

/** The statement that changes the rows of a query. */
export function updateStatement(
  query: QueryState,
  changes: readonly (readonly [ResolvedColumn, Node])[],
  returning: QueryState | undefined,
  dialect: Dialect,
): WriteStatement {
  const scope = startScope(dialect);
  const place = target(scope, query.source);
  const set = changes.map(([column, node]): Assignment => {
    if (leaves(node)) throw new GemachError("CHANGE_BEYOND_ROW", { column: qualified(column) });
    return { column: column.name, value: value(scope, node) };
  });
  return written(scope, query, { kind: "update", set }, place, returning);
}

/** The statement that deletes the rows of a query. */
export function deleteStatement(
  query: QueryState,
  returning: QueryState | undefined,
  dialect: Dialect,
): WriteStatement {
  const scope = startScope(dialect);
  return written(scope, query, { kind: "delete", set: [] }, target(scope, query.source), returning);
}

function target(scope: Scope, source: Source): Place {
  const { entity } = source;
  if (entity.isReadOnly) throw new GemachError("ENTITY_READ_ONLY", { entity: entity.name });
  const place = placeIn(draftFrom(tableOf(entity, entity.table)), entity, entity.table);
  scope.names.add(entity.table);
  scope.places.set(source, place);
  return place;
}

function written(
  scope: Scope,
  query: QueryState,
  { kind, set }: Pick<Write, "kind" | "set">,
  place: Place,
  returning: QueryState | undefined,
): WriteStatement {
  const { dialect } = scope;
  if (returning !== undefined && !dialect.returns.includes(kind))
    throw new GemachError("ENGINE_UNABLE", {
      engine: dialect.engine,
      what: `give back the rows of an ${kind}`,
      instead: "List them in the same transaction.",
    });
  const where = conditionsOf(scope, query, place);
  const given = returning === undefined ? undefined : returned(startScope(dialect), returning);
  const write: Write = { kind, entity: query.source.entity, set, where, returning: given?.items ?? [] };
  return { ...printWrite(write, dialect), rows: given?.rows };
}

/** All rows of an entity, to say what a write gives back of each. */
export const rowsOf = (entity: ResolvedEntity): QueryState => allOf({ entity });
