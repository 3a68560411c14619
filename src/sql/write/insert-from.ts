import type { InsertFromPlan } from "../../plan/index.js";
import type { Dialect } from "../dialects/dialect.js";
import { type Printed, print } from "../print/print.js";
import { qualifiedTable } from "../print/printer.js";
import { startScope } from "../translate/expression.js";
import { selectOf } from "../translate/queries.js";
import { commonOf } from "../translate/scope.js";
import { fitting } from "./fitting.js";
import { behind, type EncodedStatement } from "./insert.js";

/** What tells whether the engine would hand out again the identities that the rows of a query have. */
export function advanceAfter({ entity, set }: InsertFromPlan, dialect: Dialect): readonly EncodedStatement[] {
  const identity = set.find(({ column }) => column.kind === "identity")?.column;
  return identity === undefined ? [] : behind(entity, identity, undefined, dialect);
}

/** The statement that inserts the rows of a query. */
export function insertFromStatement({ entity, query, set }: InsertFromPlan, dialect: Dialect): Printed {
  const names = set.map(({ column }) => dialect.text.quote(column.name)).join(", ");
  const scope = startScope(undefined, undefined, query.lifted);
  const select = selectOf(
    scope,
    query,
    set.map(({ value: node }) => [node, undefined]),
  );
  // Each item is what one of the columns is given.
  const items = select.items.map((item, i) => {
    const { column, value } = set[i] as InsertFromPlan["set"][0];
    return { ...item, expression: fitting(column, value, item.expression, dialect) };
  });
  const { text, parameters } = print({ ...select, items, common: commonOf(scope) }, dialect);
  return { text: `insert into ${qualifiedTable(entity, dialect)} (${names}) ${text}`, parameters };
}
