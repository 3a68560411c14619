import { mostNested, type StatementPlan, typeOfOutput } from "../../../plan/index.js";
import { selectOver } from "../../tree/select.js";
import type { Compound, NestItem, Select, SelectItem } from "../../tree/tree.js";

/**
 * Packs the rows of a select into one JSON value, a list of lists, in their order; undefined where that is no gain.
 * Measured (3.53, better-sqlite3): 1.6 times as fast with 100 rows as with 10,000.
 */
export function packed(select: Select | Compound, plan: StatementPlan): Select | undefined {
  const { isLarge, outputs, lock } = plan;
  if ("operator" in select || !isLarge || lock !== undefined || outputs.length > mostNested) return undefined;
  const names = new Set<string>();
  const inner: SelectItem[] = [];
  const items = select.items.map(({ expression }, i): NestItem => {
    let name = expression.kind === "column" && !names.has(expression.name) ? expression.name : `value_${i + 1}`;
    while (names.has(name)) name += "_";
    names.add(name);
    inner.push({ expression, alias: name });
    const type = typeOfOutput(outputs[i] as StatementPlan["outputs"][number]);
    return { expression: { kind: "column", table: "found", name }, type };
  });
  const { common, ...rest } = select;
  const nest = { kind: "nest", items, orderBy: [], limit: undefined, offset: undefined } as const;
  const outer: Select = {
    ...selectOver({ kind: "derived", select: { ...rest, items: inner }, alias: "found" }),
    items: [{ expression: nest, alias: undefined }],
  };
  return common === undefined ? outer : { ...outer, common };
}
