import { columnAt, pathTo, type QueryState, type Source } from "../../expression/index.js";
import { type DeletePlan, isLimited, leavesRow, type UpdatePlan } from "../../plan/index.js";
import type { Dialect } from "../dialects/dialect.js";
import type { Printed } from "../print/print.js";
import { printWrite } from "../print/print-write.js";
import { condition, startScope, value } from "../translate/expression.js";
import { selectOfKeys } from "../translate/queries.js";
import { columnOf, commonOf, type Place, placeIn, type Scope, tableOf } from "../translate/scope.js";
import { draftFrom } from "../tree/select.js";
import type { SqlExpression, Write } from "../tree/tree.js";
import { returnedItems } from "./returned.js";

/** The rows that a query means, by its conditions if that will do, else by their keys: paths need joins, which a write has not. */
function conditionsOf(scope: Scope, query: QueryState, place: Place): readonly SqlExpression[] {
  const { where, source } = query;
  const isDirect = !isLimited(query) && !where.some(leavesRow);
  const direct = isDirect ? where.map((node) => condition(scope, node)) : [];
  // A write names no queries before it begins; the select of its keys may.
  if (isDirect && scope.common.size === 0) return direct;
  const inner = startScope();
  const keys = source.entity.key.map((column) => columnAt(pathTo(source), column));
  const select = { ...selectOfKeys(inner, query, keys), common: commonOf(inner) };
  return [
    { kind: "inSelect", operands: source.entity.key.map((column) => columnOf(place, column)), select, negated: false },
  ];
}

function target(scope: Scope, source: Source): Place {
  const { entity } = source;
  const place = placeIn(draftFrom(tableOf(entity, entity.table)), entity, entity.table);
  scope.names.add(entity.table);
  scope.places.set(source, place);
  return place;
}

/** The statement that changes or deletes the rows of a query. */
export function changeStatement(plan: UpdatePlan | DeletePlan, dialect: Dialect): Printed {
  const { query, returning } = plan;
  const { entity } = query.source;
  const scope = startScope();
  const place = target(scope, query.source);
  const set = plan.kind === "delete" ? [] : plan.set;
  const write: Write = {
    kind: plan.kind,
    table: { kind: "table", schema: entity.schema, table: entity.table },
    key: entity.key.map(({ name }) => name),
    set: set.map((one) => ({ column: one.column.name, value: value(scope, one.value) })),
    where: conditionsOf(scope, query, place),
    returning: returnedItems(returning),
  };
  return printWrite(write, dialect);
}
