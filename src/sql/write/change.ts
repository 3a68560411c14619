import { columnAt, isLimited, pathTo, type QueryState, type ResolvedEntity, type Source } from "../../ir/index.js";
import { type DeletePlan, hasSubquery, leavesRow, type UpdatePlan } from "../../plan/index.js";
import type { Dialect } from "../dialects/dialect.js";
import type { Printed } from "../print/print.js";
import { printWrite } from "../print/print-write.js";
import { condition, startScope, value } from "../translate/expression.js";
import { selectOf, selectOfKeys } from "../translate/queries.js";
import {
  addTable,
  columnOf,
  commonOf,
  type Scope,
  standingConditions,
  type TableRef,
  tableNameOf,
  tableOf,
} from "../translate/scope.js";
import { partName } from "../tree/common-names.js";
import { selectOver } from "../tree/select.js";
import type { FoundRows, SqlExpression, Write } from "../tree/tree.js";
import { fitting } from "./fitting.js";
import { returnedItems } from "./returned.js";

/**
 * The rows that a query means, by its conditions if that will do, else by their keys: paths need joins, which a write
 * has not.
 */
function conditionsOf(scope: Scope, query: QueryState, table: TableRef): readonly SqlExpression[] {
  const { where, source } = query;
  const isDirect = !isLimited(query) && !where.some(leavesRow);
  const standing = standingConditions(scope, table);
  const direct = isDirect ? [...standing, ...where.map((node) => condition(scope, node))] : [];
  // A write names no queries before it begins; the select of its keys may.
  if (isDirect && scope.common.size === 0) return direct;
  const inner = startScope();
  const keys = source.entity.key.map((column) => columnAt(pathTo(source), column));
  const select = { ...selectOfKeys(inner, query, keys), common: commonOf(inner) };
  return [
    { kind: "inSelect", operands: source.entity.key.map((column) => columnOf(table, column)), select, negated: false },
  ];
}

function target(scope: Scope, source: Source): TableRef {
  const { entity } = source;
  const table = addTable(selectOver(tableOf(entity, entity.table)), entity, entity.table);
  scope.names.add(entity.table);
  scope.tables.set(source, table);
  return table;
}

/** A name that no column of an entity has. */
function nameOfFound({ columns }: ResolvedEntity, name: string): string {
  const isTaken = [...columns.values()].some((column) => column.name === name);
  return isTaken ? nameOfFound({ columns } as ResolvedEntity, `${name}_`) : name;
}

/**
 * Values that other rows tell are worked out before any row is changed, beside the keys of the rows that they are for:
 * one engine would else see rows that it has changed already, and no write follows a path.
 */
function foundRowsOf(
  { query, set }: UpdatePlan,
  table: TableRef,
  dialect: Dialect,
): { readonly found: FoundRows; readonly set: Write["set"] } {
  const { source } = query;
  const { entity } = source;
  const inner = startScope(undefined, undefined, query.lifted);
  const alias = partName(entity.table, "worked_out");
  const keys = entity.key.map((column, i) => [column, nameOfFound(entity, `key_${i + 1}`)] as const);
  const values = set.map((one, i) => [one, nameOfFound(entity, `value_${i + 1}`)] as const);
  const items = [
    ...keys.map(([column, name]) => [columnAt(pathTo(source), column), name] as const),
    ...values.map(([{ value }, name]) => [value, name] as const),
  ];
  const select = { ...selectOf(inner, query, items), common: commonOf(inner) };
  const column = (name: string): SqlExpression => ({ kind: "column", table: alias, name });
  return {
    found: {
      select,
      alias,
      on: keys.map(([key, name]) => ({
        kind: "binary",
        operator: "=",
        left: columnOf(table, key),
        right: column(name),
      })),
    },
    set: values.map(([{ column: of, value }, name]) => ({
      column: of.name,
      value: fitting(of, value, column(name), dialect),
    })),
  };
}

/** The statement that changes or deletes the rows of a query. */
export function changeStatement(plan: UpdatePlan | DeletePlan, dialect: Dialect): Printed {
  const { query, returning } = plan;
  const { entity } = query.source;
  const scope = startScope(undefined, undefined, query.lifted);
  const table = target(scope, query.source);
  const common = {
    kind: plan.kind,
    table: tableNameOf(entity),
    key: entity.key.map(({ name }) => name),
    returning: returnedItems(returning),
  } as const;
  if (plan.kind === "update" && plan.set.some(({ value: node }) => leavesRow(node) || hasSubquery(node)))
    return printWrite({ ...common, ...foundRowsOf(plan, table, dialect), where: [] }, dialect);
  const set = plan.kind === "delete" ? [] : plan.set;
  const given = set.map(({ column, value: node }) => ({
    column: column.name,
    value: fitting(column, node, value(scope, node), dialect),
  }));
  return printWrite({ ...common, set: given, where: conditionsOf(scope, query, table) }, dialect);
}
