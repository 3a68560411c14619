import type { Limits, StatementPlan } from "../../plan/index.js";
import type { Dialect, OwnerForm } from "../dialects/dialect.js";
import { addRows } from "../translate/queries.js";
import { addTable, columnOf, freeName, ownConditions, type Scope, type TableRef, tableOf } from "../translate/scope.js";
import { selectOver } from "../tree/select.js";
import type { Select, SortTerm, SqlExpression, TableTerm } from "../tree/tree.js";
import { orderOutside } from "./limits.js";

/**
 * The rows at a place, their order in terms of it, and the keys or positions of their owners where none of their
 * columns has them.
 */
export interface OrderedPlace {
  readonly place: TableRef;
  readonly order: readonly SortTerm[];
  readonly owners: readonly SqlExpression[];
}

/**
 * The keys of the owners that a statement gets, as a table. They are of the owners' type: another's scale would round
 * them.
 */
export const keysTerm = ({ ownerSteps, byPosition }: StatementPlan, alias: string): TableTerm => ({
  kind: "keys",
  types: (ownerSteps[0]?.pairs ?? []).map(({ from, to }) => (byPosition ? from : to).type),
  alias,
  hasPosition: byPosition,
});

/** The position of a key in that table, where it is asked for. */
export const positionOf = ({ byPosition }: StatementPlan, alias: string): readonly SqlExpression[] =>
  byPosition ? [{ kind: "column", table: alias, name: "position" }] : [];

/** How the first rows of each owner are best taken; undefined where all rows of all owners are to be numbered. */
export function ownerFormOf(plan: StatementPlan, { ownerForm }: Dialect): OwnerForm | undefined {
  if (plan.limitPerOwner === undefined || plan.ownerIndex === "none") return undefined;
  const { length } = plan.source.entity.key;
  return length === 0 ? undefined : ownerForm(plan.ownerIndex, length, plan.limitPerOwner);
}

const equal = (left: SqlExpression, right: SqlExpression): SqlExpression => ({
  kind: "binary",
  operator: "=",
  left,
  right,
});

/** The n-th row of a select alone. */
const nth = (select: Select, { offset = 0 }: Pick<Limits, "offset">, n: number): Select => ({
  ...select,
  limit: "one",
  offset: offset + n === 0 ? undefined : offset + n,
});

/**
 * The first rows of each owner, who come as a table of keys: for each its own select, which an index serves.
 * `reopen` makes the source mean the rows outside of it.
 */
export function placePerOwner(
  scope: Scope,
  plan: StatementPlan,
  form: OwnerForm,
  reopen: (outer: TableRef, inner: TableRef) => void,
): OrderedPlace {
  const { source, ownerSteps } = plan;
  const limits = plan.limitPerOwner as Limits;
  const { limit, offset } = limits;
  const { entity } = source;
  const [step] = ownerSteps as [(typeof ownerSteps)[number]];
  const owner = freeName(scope, "owner");
  const inner = addRows(scope, plan, true);
  const { select, alias } = inner;
  const ties = step.pairs.map(({ to }, i) =>
    equal(columnOf(inner, to), { kind: "column", table: owner, name: `key_${i + 1}` }),
  );
  select.where.unshift(...ties, ...ownConditions(scope, step, inner));
  select.orderBy.push(...plan.orderBy.map((term) => scope.translate.sortTerm(scope, term)));
  Object.assign(select, { limit, offset });
  const builder = selectOver(keysTerm(plan, owner));
  const owners = positionOf(plan, owner);
  if (form === "lateral") {
    const outer = addTable(builder, entity, alias, inner);
    builder.joins.push({ kind: "cross", table: { kind: "derived", select, alias, isLateral: true }, on: [] });
    const order = orderOutside(scope, outer, inner, plan.orderBy);
    reopen(outer, inner);
    return { place: outer, order, owners };
  }
  select.items.push(...entity.key.map((column) => ({ expression: columnOf(inner, column), alias: undefined })));
  const outer = addTable(builder, entity, alias);
  const keys = entity.key.map((column) => columnOf(outer, column));
  const table: TableTerm = tableOf(entity, alias);
  if (form === "correlated")
    builder.joins.push({ kind: "inner", table, on: [{ kind: "inSelect", operands: keys, select, negated: false }] });
  else {
    const number = freeName(scope, "nth");
    builder.joins.push({ kind: "cross", table: { kind: "numbers", count: limit as number, alias: number }, on: [] });
    const branches = Array.from({ length: limit as number }, (_, n) => ({
      when: equal(
        { kind: "column", table: number, name: "n" },
        { kind: "literal", value: n, type: { kind: "integer" } },
      ),
      value: { kind: "subquery", select: nth(select, limits, n) } as const,
    }));
    const found: SqlExpression = { kind: "case", branches, otherwise: undefined };
    builder.joins.push({ kind: "inner", table, on: [equal(keys[0] as SqlExpression, found)] });
  }
  reopen(outer, inner);
  return { place: outer, order: plan.orderBy.map((term) => scope.translate.sortTerm(scope, term)), owners };
}
