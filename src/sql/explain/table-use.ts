import type { ResolvedColumn, ResolvedEntity } from "../../ir/index.js";
import type { Compound, RawExpression, Select, SqlExpression, TableTerm } from "../tree/tree.js";
import { partsOf, partsOfRows } from "../tree/walk.js";

/** The use of one table by a statement: by what an index could find, or sort, the rows that it wants. */
export interface TableUse {
  /** The statement's alias of it. */
  readonly alias: string;
  readonly entity: ResolvedEntity;
  /**
   * Columns that are to be equal to something, each once: first those of values, then those of other tables' columns.
   */
  readonly equal: readonly ResolvedColumn[];
  /** Those of them that many rows have alike: truth values, and columns that are to have no value. */
  readonly weak: readonly ResolvedColumn[];
  /** Columns that are to be above or below something. */
  readonly range: readonly ResolvedColumn[];
  /** The order that its rows are wanted in, where all of it is of this table. */
  readonly order: readonly { readonly column: ResolvedColumn; readonly descending: boolean }[];
  /** Whether only the first rows of that order are wanted. */
  readonly isLimited: boolean;
  /** How many further conditions there are that an index of columns is no use for, such as a search inside of texts. */
  readonly others: number;
}

type Table = Extract<TableTerm, { readonly kind: "table" }> & { readonly entity: ResolvedEntity };

interface Gathered {
  readonly table: Table;
  readonly equal: Set<ResolvedColumn>;
  /** Those that are to be equal to a column of another table. */
  readonly tied: Set<ResolvedColumn>;
  /** Those that are to have no value. */
  readonly absent: Set<ResolvedColumn>;
  readonly range: Set<ResolvedColumn>;
  others: number;
}

const columnIn = ({ entity }: Table, name: string): ResolvedColumn | undefined =>
  [...entity.columns.values()].find((column) => column.name === name);

/** The tables of a from clause, and the conditions of its joins, in their order. */
function termsOf(term: TableTerm): { readonly tables: readonly Table[]; readonly on: readonly SqlExpression[] } {
  if (term.kind === "table")
    return { tables: term.entity === undefined ? [] : [{ ...term, entity: term.entity }], on: [] };
  if (term.kind !== "joined") return { tables: [], on: [] };
  const parts = [termsOf(term.table), ...term.joins.map(({ table }) => termsOf(table))];
  return {
    tables: parts.flatMap(({ tables }) => tables),
    on: [...parts.flatMap(({ on }) => on), ...term.joins.flatMap(({ on }) => on)],
  };
}

/** The conditions that must all be true. */
function conjuncts(expression: SqlExpression): readonly SqlExpression[] {
  if (expression.kind === "logic" && expression.operator === "and") return expression.items.flatMap(conjuncts);
  if (expression.kind === "isTrue" && !expression.negated) return conjuncts(expression.item);
  return [expression];
}

/** What is compared, where it is nothing but a column. */
const columnOf = (expression: SqlExpression): Extract<SqlExpression, { kind: "column" }> | undefined =>
  expression.kind === "column" ? expression : undefined;

/** Every column that an expression speaks of, selects inside of it left out. */
function* columnsIn(expression: SqlExpression): Generator<Extract<SqlExpression, { kind: "column" }>> {
  if (expression.kind === "column") yield expression;
  for (const part of partsOf(expression).expressions) yield* columnsIn(part);
}

/** Notes what one condition asks of the tables of its select. */
function note(condition: SqlExpression, tables: ReadonlyMap<string, Gathered>): void {
  const found = (expression: SqlExpression) => {
    const column = columnOf(expression);
    const of = column === undefined ? undefined : tables.get(column.table);
    const resolved = of === undefined || column === undefined ? undefined : columnIn(of.table, column.name);
    return of === undefined || resolved === undefined ? undefined : { of, column: resolved };
  };
  const equal = (operands: readonly SqlExpression[]): boolean => {
    const own = operands.map(found).filter((one) => one !== undefined);
    for (const { of, column } of own) of.equal.add(column);
    return own.length > 0;
  };
  switch (condition.kind) {
    case "binary": {
      const sides = [found(condition.left), found(condition.right)].filter((side) => side !== undefined);
      const [first, second] = sides;
      if (first === undefined) break;
      // Of two tables, the one that comes later is looked up by the other's rows.
      const names = [...tables.keys()];
      const isSecond =
        second !== undefined && names.indexOf(second.of.table.alias) > names.indexOf(first.of.table.alias);
      const { of, column } = isSecond ? second : first;
      const isTied = condition.left.kind === "column" && condition.right.kind === "column";
      if (condition.operator === "=") (isTied ? of.tied : of.equal).add(column);
      else if (condition.operator !== "<>") of.range.add(column);
      else of.others++;
      return;
    }
    case "isNull":
      if (!condition.negated && equal([condition.operand])) {
        const own = found(condition.operand);
        if (own !== undefined) own.of.absent.add(own.column);
        return;
      }
      break;
    case "inList":
      if (!condition.negated && equal([condition.operand])) return;
      break;
    case "inKeys":
    case "inRows":
      if (equal(condition.operands)) return;
      break;
    case "inSelect":
      if (!condition.negated && equal(condition.operands)) return;
      break;
    default:
  }
  for (const alias of new Set([...columnsIn(condition)].map(({ table }) => table))) {
    const of = tables.get(alias);
    if (of !== undefined) of.others++;
  }
}

/** The order of a select, where all of it is of one table. */
function orderOf({ orderBy }: Select, table: Table): TableUse["order"] {
  const terms = orderBy.map(({ expression, descending }) => {
    const own = columnOf(expression);
    const column = own?.table === table.alias ? columnIn(table, own.name) : undefined;
    return column === undefined ? undefined : { column, descending };
  });
  return terms.every((term) => term !== undefined) ? terms : [];
}

function usesOfSelect(select: Select): readonly TableUse[] {
  const { from, joins, where } = select;
  const terms = [termsOf(from), ...joins.map(({ table }) => termsOf(table))];
  const all = terms.flatMap(({ tables }) => tables);
  const tables = new Map<string, Gathered>(
    all.map((table) => [
      table.alias,
      { table, equal: new Set(), tied: new Set(), absent: new Set(), range: new Set(), others: 0 },
    ]),
  );
  const conditions = [...terms.flatMap(({ on }) => on), ...joins.flatMap(({ on }) => on), ...where];
  for (const condition of conditions.flatMap(conjuncts)) note(condition, tables);
  return [...tables.values()].map(({ table, equal, tied, absent, range, others }) => ({
    alias: table.alias,
    entity: table.entity,
    equal: [...new Set([...equal, ...tied])],
    weak: [...equal].filter((column) => absent.has(column) || column.kind === "boolean"),
    range: [...range].filter((column) => !equal.has(column) && !tied.has(column)),
    order: orderOf(select, table),
    isLimited: select.limit !== undefined && select.limit !== "all" && select.orderBy.length > 0,
    others,
  }));
}

/** Returns the uses of tables by a statement, with all selects inside of it. */
export function usesOf(rows: Select | Compound | RawExpression): readonly TableUse[] {
  const own = "from" in rows ? usesOfSelect(rows) : [];
  const inside = (parts: ReturnType<typeof partsOfRows>): readonly TableUse[] => [
    ...(parts.selects ?? []).flatMap(usesOf),
    ...parts.expressions.flatMap((expression) => inside(partsOf(expression))),
  ];
  return [...own, ...inside(partsOfRows(rows))];
}
