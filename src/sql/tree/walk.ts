import type { Compound, Join, RawExpression, Select, SortTerm, SqlExpression, TableName, TableTerm } from "./tree.js";

/** What a part of a statement is directly made of: expressions, selects, and tables. */
export interface Parts {
  readonly expressions: readonly SqlExpression[];
  readonly selects?: readonly (Select | Compound | RawExpression)[];
  readonly tables?: readonly TableName[];
}

type OfKind<K extends SqlExpression["kind"]> = Extract<SqlExpression, { readonly kind: K }>;

const none: Parts = { expressions: [] };
const sortedBy = (terms: readonly SortTerm[]): readonly SqlExpression[] => terms.map(({ expression }) => expression);

/** The parts of each kind of expression: the one place that knows where an expression has others in it. */
const partsByKind: { readonly [K in SqlExpression["kind"]]: (of: OfKind<K>) => Parts } = {
  column: () => none,
  proposed: () => none,
  position: () => none,
  parameter: () => none,
  constant: () => none,
  literal: () => none,
  rowCount: () => none,
  binary: ({ left, right }) => ({ expressions: [left, right] }),
  distinct: ({ left, right }) => ({ expressions: [left, right] }),
  logic: ({ items }) => ({ expressions: items }),
  not: ({ item }) => ({ expressions: [item] }),
  isNull: ({ operand }) => ({ expressions: [operand] }),
  isTrue: ({ item }) => ({ expressions: [item] }),
  inList: ({ operand }) => ({ expressions: [operand] }),
  inKeys: ({ operands }) => ({ expressions: operands }),
  inRows: ({ operands }) => ({ expressions: operands }),
  call: ({ operands }) => ({ expressions: operands }),
  case: ({ branches, otherwise }) => ({
    expressions: [
      ...branches.flatMap(({ when, value }) => [when, value]),
      ...(otherwise === undefined ? [] : [otherwise]),
    ],
  }),
  like: ({ operand }) => ({ expressions: [operand] }),
  aggregate: ({ operand, filter, details }) => ({
    expressions: [operand, filter, ...sortedBy(details.orderBy)].filter((part) => part !== undefined),
  }),
  exists: ({ select }) => ({ expressions: [], selects: [select] }),
  subquery: ({ select }) => ({ expressions: [], selects: [select] }),
  canonical: ({ item }) => ({ expressions: [item] }),
  sortable: ({ item }) => ({ expressions: [item] }),
  inSelect: ({ operands, select }) => ({ expressions: operands, selects: [select] }),
  window: ({ operands, partitionBy, orderBy }) => ({
    expressions: [...operands, ...partitionBy, ...sortedBy(orderBy)],
  }),
  nest: ({ items, orderBy }) => ({ expressions: [...items.map(({ expression }) => expression), ...sortedBy(orderBy)] }),
  raw: ({ between }) => ({
    expressions: between.filter((part) => part.kind !== "table"),
    tables: between.filter((part) => part.kind === "table"),
  }),
};

/** What an expression is directly made of. */
export const partsOf = (expression: SqlExpression): Parts =>
  (partsByKind[expression.kind] as (of: SqlExpression) => Parts)(expression);

/** Every kind of expression, for tests that want one of each. */
export const expressionKinds = Object.keys(partsByKind) as readonly SqlExpression["kind"][];

/** Whether something is true of an expression or of one that it is made of, selects inside of it left out. */
export const someExpression = (expression: SqlExpression, isTrue: (of: SqlExpression) => boolean): boolean =>
  isTrue(expression) || partsOf(expression).expressions.some((part) => someExpression(part, isTrue));

/** Whether an expression has a select in it. */
export const hasSelect = (expression: SqlExpression): boolean =>
  someExpression(expression, (part) => (partsOf(part).selects?.length ?? 0) > 0);

function tableParts(term: TableTerm): Parts {
  switch (term.kind) {
    case "table":
      return { expressions: [], tables: [{ kind: "table", schema: term.schema, table: term.table }] };
    case "derived":
      return { expressions: [], selects: [term.select] };
    case "series":
      return { expressions: [term.from, term.to] };
    case "joined":
      return joined([tableParts(term.table), ...term.joins.map(joinParts)]);
    case "keys":
    case "numbers":
    case "common":
      return none;
    default:
      return term satisfies never;
  }
}

const joinParts = ({ table, on }: Join): Parts => joined([tableParts(table), { expressions: on }]);

const joined = (parts: readonly Parts[]): Parts => ({
  expressions: parts.flatMap((part) => part.expressions),
  selects: parts.flatMap((part) => part.selects ?? []),
  tables: parts.flatMap((part) => part.tables ?? []),
});

const commonParts = ({ common = [] }: Select | Compound): Parts => ({
  expressions: [],
  selects: common.map(({ select }) => select),
});

/** What a select, or several of them, is directly made of. */
export function partsOfRows(rows: Select | Compound | RawExpression): Parts {
  if ("parts" in rows) return partsOf(rows);
  if ("operator" in rows)
    return joined([commonParts(rows), { expressions: sortedBy(rows.orderBy ?? []), selects: rows.selects }]);
  return joined([
    commonParts(rows),
    tableParts(rows.from),
    ...rows.joins.map(joinParts),
    {
      expressions: [
        ...rows.items.map(({ expression }) => expression),
        ...rows.where,
        ...rows.groupBy,
        ...rows.having,
        ...sortedBy(rows.orderBy),
      ],
    },
  ]);
}

/** Every table that a statement, or any select inside of it, is of. */
export function* tablesIn(rows: Select | Compound | RawExpression): Generator<TableName> {
  yield* tablesOf(partsOfRows(rows));
}

function* tablesOf({ expressions, selects = [], tables = [] }: Parts): Generator<TableName> {
  yield* tables;
  for (const expression of expressions) yield* tablesOf(partsOf(expression));
  for (const select of selects) yield* tablesOf(partsOfRows(select));
}
