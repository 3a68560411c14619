import { mostNested, type StatementPlan, typeOfOutput } from "../plan/index.js";
import type { Dialect } from "./dialect.js";
import { draftFrom } from "./scope.js";
import type { Compound, NestItem, Select, SelectItem } from "./tree.js";

/** Whether a statement's rows come as one JSON value: where many are expected, and that is faster. */
export const isPacked = ({ isLarge, outputs, lock }: StatementPlan, { packsRows }: Dialect): boolean =>
  packsRows && isLarge && lock === undefined && outputs.length <= mostNested;

/** The same rows as one JSON value, a list of lists, in their order. */
export function packed(select: Select | Compound, { outputs }: StatementPlan): Select | Compound {
  if ("operator" in select) return select;
  const names = new Set<string>();
  const inner: SelectItem[] = [];
  const items = select.items.map(({ expression }, i): NestItem => {
    let name = expression.kind === "column" && !names.has(expression.name) ? expression.name : `value_${i + 1}`;
    while (names.has(name)) name += "_";
    names.add(name);
    inner.push({ expression, alias: name });
    const type = typeOfOutput(outputs[i] as StatementPlan["outputs"][number]);
    return { expression: { kind: "column", table: "rows", name }, type };
  });
  const { common, ...rest } = select;
  const outer = draftFrom({ kind: "derived", select: { ...rest, items: inner }, alias: "rows" });
  outer.items.push({
    expression: { kind: "nest", items, orderBy: [], limit: undefined, offset: undefined },
    alias: undefined,
  });
  return common === undefined ? outer : { ...outer, common };
}
