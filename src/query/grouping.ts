import { GemachError } from "../errors/index.js";
import { nodeOf, withActive } from "../expression/index.js";
import { type BySets, isLimited, type Node, partsOf, type QueryState, sourcesOf } from "../ir/index.js";
import { fieldsOf } from "./derived.js";
import type { NamedKeys } from "./group.js";
import { projectionOf } from "./projection.js";
import { refuseWindow } from "./query-parts.js";

const isAggregate = ({ kind }: Node): boolean => kind === "group" || kind === "raw";

const hasAggregate = (node: Node): boolean => isAggregate(node) || partsOf(node).some(hasAggregate);

/** Whether a value is of one row by itself: a column outside of any aggregate. */
const isOfOneRow = (node: Node): boolean =>
  node.kind === "column" || (!isAggregate(node) && partsOf(node).some(isOfOneRow));

/** A query's rows as one: `work` gives what is worked out of them. */
export function stateOfTotals(state: QueryState, work: () => unknown): QueryState {
  if (isLimited(state)) throw new GemachError("ROWS_CUT", { call: "totals" });
  const projection = projectionOf(withActive(sourcesOf(state), work), state.source.entity.name);
  const values = [...fieldsOf(projection).values()];
  if (values.some(isOfOneRow) || !values.some(hasAggregate))
    throw new GemachError("VALUE_UNFIT", {
      column: "totals()",
      expected: "what is worked out of all rows, such as all.count()",
      got: "a value of each",
    });
  return { ...state, orderBy: [], groupBy: [], reach: [], projection };
}

/**
 * What several sets of keys group a query's rows by: `work` gives what is worked out of the groups of one set, or of
 * any that an engine tells.
 */
export function groupedBySets(
  state: QueryState,
  keys: NamedKeys,
  sets: readonly (readonly string[])[],
  work: (set: readonly string[] | undefined) => unknown,
): { readonly parts: readonly QueryState[]; readonly bySets: BySets | undefined } {
  const { name } = state.source.entity;
  projectionOf(keys, name);
  if (isLimited(state)) throw new GemachError("ROWS_CUT", { call: "groupingSets" });
  const grouped = (set: readonly string[], of: readonly string[] | undefined): QueryState => {
    const groupBy = set.map((key) => {
      const found = keys[key];
      if (found === undefined)
        throw new GemachError("NAME_UNKNOWN", { entity: name, name: key, known: Object.keys(keys) });
      return refuseWindow(nodeOf(found), "groupBy");
    });
    const projection = projectionOf(
      withActive(sourcesOf(state), () => work(of)),
      name,
    );
    return { ...state, orderBy: [], groupBy, reach: [], projection };
  };
  const parts = sets.map((set) => grouped(set, set));
  const all = Object.keys(keys);
  // A key of no set would be missing in all groups, which the engine cannot know.
  if (sets.length < 2 || !all.every((key) => sets.some((set) => set.includes(key))))
    return { parts, bySets: undefined };
  return {
    parts,
    bySets: { query: grouped(all, undefined), sets: sets.map((set) => set.map((key) => all.indexOf(key))) },
  };
}
