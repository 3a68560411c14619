import { kinds, type Scalar } from "../../columns/index.js";
import { GemachError } from "../../errors/index.js";
import {
  type Derivation,
  type Node,
  type OrderNode,
  type Path,
  type ResolvedColumn,
  type ResolvedEntity,
  type ResolvedRelation,
  type Source,
  type Step,
  standingHole,
} from "../../ir/index.js";
import type { SortedRows } from "../../plan/index.js";
import { type SelectBuilder, selectOver } from "../tree/select.js";
import type { CommonTable, SortTerm, SqlExpression, TableName, TableTerm } from "../tree/tree.js";
import { begins } from "./presence.js";

/** Rows of one entity that a select can refer to. */
export interface TableRef {
  readonly entity: ResolvedEntity;
  readonly alias: string;
  /** The select in whose from clause it stands. */
  select: SelectBuilder;
  /** Whether its columns may all be null, since it is joined from the left. */
  isOptional: boolean;
  /** The place inside a derived table that it stands for, and whose select must hand out the columns asked for. */
  readonly derivedFrom: TableRef | undefined;
  /** To-one relations that were joined to it. */
  readonly steps: Map<Step, TableRef>;
  /** Whether it is the row that an insert would have added. */
  readonly isProposed?: boolean;
}

/** What turns nodes into expressions of SQL; selects inside of expressions are made with it in turn. */
export interface Translator {
  /** A condition, where unknown counts as false. */
  readonly condition: (scope: Scope, node: Node, negated?: boolean) => SqlExpression;
  readonly value: (scope: Scope, node: Node) => SqlExpression;
  /** A value where nothing beside it says its type. */
  readonly operand: (scope: Scope, node: Node) => SqlExpression;
  /** A value where it is told from others by whether they are equal. */
  readonly canonical: (node: Node, item: SqlExpression) => SqlExpression;
  readonly sortTerm: (scope: Scope, term: OrderNode) => SortTerm;
}

/** Names in use, and the places where sources are to be found, while a statement is built. */
export interface Scope {
  readonly translate: Translator;
  readonly tables: Map<Source, TableRef>;
  readonly names: Set<string>;
  readonly bound: ReadonlyMap<Source, Path>;
  /** Whether the database is sure to have a row for each key that a constraint backs. */
  readonly isTrusting: boolean;
  /** What the statement names before it begins, in the order in which it is needed. */
  readonly common: Map<Derivation, CommonTable | undefined>;
  /** Values that stand in a statement several times get one placeholder where the engine numbers them. */
  readonly values: Map<Node, SqlExpression>;
  readonly typedValues: Map<Node, SqlExpression>;
  /** Paths at whose end there is a row for all rows that a select gives. */
  readonly present: Path[];
  /** What rows are grouped by, as it was translated: an engine wants the very same text, parameters included. */
  readonly keys: Map<Node, SqlExpression>;
  /** What tells the rows of the select at hand apart, for windows whose order does not. */
  rows: SortedRows | undefined;
  /** The select at hand; rows of others are around it. */
  current: SelectBuilder | undefined;
  /** The rows whose sets are aggregated for all of them at once, and what was joined for that, by what it is of. */
  readonly grouped: { source: Source | undefined; readonly made: Map<string, SqlExpression> };
  /** The names of standing conditions that do not hold. */
  readonly lifted: readonly string[];
}

/** What a statement names before it begins. */
export const commonOf = ({ common }: Scope): readonly CommonTable[] =>
  [...common.values()].filter((table) => table !== undefined);

/** A scope for a statement or for a select that knows nothing of the rows around it. */
export const newScope = (
  translate: Translator,
  bound: ReadonlyMap<Source, Path> = new Map(),
  common: Scope["common"] = new Map(),
  isTrusting = false,
  lifted: readonly string[] = [],
): Scope => ({
  lifted,
  isTrusting,
  translate,
  tables: new Map(),
  names: new Set(),
  bound,
  common,
  values: new Map(),
  typedValues: new Map(),
  present: [],
  keys: new Map(),
  rows: undefined,
  current: undefined,
  grouped: { source: undefined, made: new Map() },
});

/** So many characters of four bytes, and a number behind them, are a name that no engine cuts short. */
const mostUnits = 40;
const shortened = (name: string): string => (name.length <= mostUnits ? name : [...name].slice(-12).join(""));

/** The first of the names that is free, else the last with a number; the first, a table's own, may be of any length. */
export function freeName({ names: taken }: Scope, first: string, ...others: readonly string[]): string {
  const candidates = [first, ...others.map(shortened)];
  const last = shortened(candidates.at(-1) as string);
  let name = candidates.find((one) => !taken.has(one)) ?? last;
  for (let i = 2; taken.has(name); i++) name = `${last}_${i}`;
  taken.add(name);
  return name;
}

/** Gives back the names that a finished subquery used. */
export function releaseNames({ names }: Scope, { from, joins }: SelectBuilder): void {
  names.delete(from.alias);
  for (const { table } of joins) names.delete(table.alias);
}

/** An entity's table by its name alone. */
export const tableNameOf = ({ schema, table }: ResolvedEntity): TableName => ({ kind: "table", schema, table });

/** An entity's table under a name. */
export const tableOf = (entity: ResolvedEntity, alias: string): TableTerm => ({
  kind: "table",
  schema: entity.schema,
  table: entity.table,
  alias,
  entity,
});

/** A place in a select's from clause. */
export const addTable = (
  select: SelectBuilder,
  entity: ResolvedEntity,
  alias: string,
  derivedFrom?: TableRef,
  isOptional = false,
): TableRef => ({
  entity,
  alias,
  select,
  isOptional,
  derivedFrom,
  steps: new Map(),
});

/** A derived table hands out the columns of its entity in their order, and after them what it adds. */
function handOut(inner: TableRef, column: ResolvedColumn): void {
  const { items } = inner.select;
  const expression = columnOf(inner, column);
  if (items.some((item) => item.alias === column.name)) return;
  const names = [...inner.entity.columns.values()].map(({ name }) => name);
  const later = new Set(names.slice(names.indexOf(column.name)));
  const before = items.findIndex(({ alias = "" }) => later.has(alias) || !names.includes(alias));
  items.splice(before < 0 ? items.length : before, 0, { expression, alias: column.name });
}

/** A column at a place; a derived table is made to hand it out. */
export function columnOf(tableRef: TableRef, column: ResolvedColumn): SqlExpression {
  if (tableRef.derivedFrom !== undefined) handOut(tableRef.derivedFrom, column);
  if (tableRef.isProposed) return { kind: "proposed", name: column.name };
  // A series is of whole numbers of 32 bits, as a table's column is.
  const isDerived = tableRef.entity.derivation !== undefined && tableRef.entity.derivation.kind !== "series";
  return { kind: "column", table: tableRef.alias, name: column.name, ...(isDerived ? { isDerived } : {}) };
}

/**
 * A column of a row around the select at hand. Where it is the key of a row that is joined there, it is that row's: an
 * engine looks at a subquery as soon as it has all rows that it is of, and conditions on the joined row leave fewer.
 */
export function columnAround(scope: Scope, table: TableRef, column: ResolvedColumn): SqlExpression {
  if (scope.current !== undefined && table.select !== scope.current)
    for (const [{ pairs, cardinality, conditions }, next] of table.steps) {
      const pair = pairs.length === 1 && conditions.length === 0 && cardinality === "one" ? pairs[0] : undefined;
      if (pair?.from === column && !next.isOptional && kinds[column.kind].isKeyedByBytes)
        return columnOf(next, pair.to);
    }
  return columnOf(table, column);
}

/** The equations between the keys of two places. */
export const keyEquations = (step: Step, from: TableRef, to: TableRef): readonly SqlExpression[] =>
  step.pairs.map((pair) => ({
    kind: "binary",
    operator: "=",
    left: columnOf(to, pair.to),
    right: columnOf(from, pair.from),
  }));

/** The conditions that a step has of its own, on the rows that it leads to. */
export const ownConditions = (scope: Scope, step: Step, to: TableRef): readonly SqlExpression[] => [
  ...step.conditions.map(({ column, value }) => hasValue(to, column, value)),
  ...standingConditions(scope, to),
];

function hasValue(table: TableRef, column: ResolvedColumn, value: Scalar | { readonly given: string }): SqlExpression {
  const operand = columnOf(table, column);
  if (value === null) return { kind: "isNull", operand, negated: false };
  const { type } = column;
  const isGiven = typeof value === "object" && "given" in value;
  const right: SqlExpression = {
    kind: "parameter",
    parameter: isGiven
      ? { kind: "hole", hole: standingHole(value.given), type, isTyped: false, isList: false }
      : { kind: "value", value, type },
  };
  return { kind: "binary", operator: "=", left: operand, right };
}

/** The conditions that the entity at a place carries, but for those that are lifted. */
export const standingConditions = (scope: Scope, table: TableRef): readonly SqlExpression[] => [
  ...table.entity.standing
    .filter(({ name }) => !scope.lifted.includes(name))
    .map(({ column, value }) => hasValue(table, column, value)),
  ...table.entity.through
    .filter(({ name }) => !scope.lifted.includes(name))
    .map(({ relation }) =>
      visibleThrough(scope, table, (table.entity.relations.get(relation) as ResolvedRelation).steps[0]),
    ),
];

/** Whether the row that a row leads to is visible. */
function visibleThrough(scope: Scope, table: TableRef, step: Step): SqlExpression {
  const alias = freeName(scope, step.target.table, step.name);
  const select = selectOver(tableOf(step.target, alias));
  const above = addTable(select, step.target, alias);
  select.items.push({ expression: { kind: "constant", value: 1 }, alias: undefined });
  select.where.push(...keyEquations(step, table, above), ...standingConditions(scope, above));
  releaseNames(scope, select);
  return { kind: "exists", select, negated: false };
}

/** All that holds between two places over a step. */
export const keysEqual = (scope: Scope, step: Step, from: TableRef, to: TableRef): readonly SqlExpression[] => [
  ...keyEquations(step, from, to),
  ...ownConditions(scope, step, to),
];

function stepTo(scope: Scope, table: TableRef, step: Step, isPresent: boolean): TableRef {
  const known = table.steps.get(step);
  if (known !== undefined) return known;
  const alias = freeName(scope, step.name, `${table.alias}_${step.name}`);
  // Where nobody promises the row, an inner join would lose the rows that lead to it.
  const isSure = isPresent || (!step.mayBeMissing && (step.isTrusted || scope.isTrusting));
  const isOptional = table.isOptional || !isSure;
  const next = addTable(table.select, step.target, alias, undefined, isOptional);
  table.select.joins.push({
    kind: isOptional ? "left" : "inner",
    table: tableOf(step.target, alias),
    on: keysEqual(scope, step, table, next),
  });
  table.steps.set(step, next);
  return next;
}

/**
 * The place at the end of a path; to-one relations on the way are joined once.
 * @throws GemachError `ROW_OUT_OF_PLACE` where the path starts at a row of another query.
 */
export function placeOf(scope: Scope, path: Path): TableRef {
  const longer = scope.bound.get(path.source);
  const start = longer === undefined ? scope.tables.get(path.source) : placeOf(scope, longer);
  if (start === undefined) throw new GemachError("ROW_OUT_OF_PLACE", { entity: path.source.entity.name });
  return path.steps.reduce((table, step, i) => stepTo(scope, table, step, begins(scope.present, path, i + 1)), start);
}
