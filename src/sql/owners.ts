import type { SetNode, Step } from "../expression/index.js";
import {
  columnOf,
  draftFrom,
  freeName,
  keysEqual,
  ownConditions,
  type Place,
  placeIn,
  releaseNames,
  type Scope,
  type SelectDraft,
  tableOf,
} from "./scope.js";
import { condition } from "./translate-expression.js";
import type { SqlExpression } from "./tree.js";
/** How the rows at a place are told to whom they belong. */
export interface Owners {
  /** The columns that hold the owner's key, as the place's own select sees them. */
  readonly columns: readonly SqlExpression[];
  /** The select in which a condition on these columns belongs, and the columns as it sees them. */
  readonly select: SelectDraft;
  readonly innermost: readonly SqlExpression[];
}

/** Joins the rows before each step, from the last step back to the first, none of which multiplies rows. */
function joinBack(scope: Scope, place: Place, steps: readonly Step[], sets: readonly SetNode[]): Place {
  return steps.reduceRight((at, step, i) => {
    const { source } = step;
    const alias = freeName(scope, source.table, `${step.name}_${source.table}`);
    const before = placeIn(place.select, source, alias);
    place.select.joins.push({
      kind: "inner",
      table: tableOf(source, alias),
      on: keysEqual(step, before, at),
    });
    narrow(scope, before, sets[i]);
    return before;
  }, place);
}

/** The conditions of a set on its rows, which stand at a place. */
function narrow(scope: Scope, place: Place, set: SetNode | undefined): void {
  if (set === undefined) return;
  scope.places.set(set.source, place);
  place.select.where.push(...set.where.map((node) => condition(scope, node)));
}

/** Whether a link's rows are told apart by what they link, so that none leads from one owner to a target twice. */
function isPairOnce([first, second]: readonly Step[]): boolean {
  if (first === undefined || second === undefined) return false;
  const linked = [...first.pairs.map((pair) => pair.to), ...second.pairs.map((pair) => pair.from)];
  return second.source.key.every((column) => linked.includes(column));
}

/**
 * The last step that goes up to a row to which several rows of one owner may lead: those must be made
 * one. Undefined where each row is reached once.
 */
function lastMeeting(steps: readonly Step[]): number | undefined {
  const index = steps.findLastIndex((step, i) => {
    if (step.holder !== "source" || (i === 1 && isPairOnce(steps))) return false;
    return steps.slice(0, i).some((before) => before.cardinality === "many");
  });
  return index < 0 ? undefined : index;
}

/** The pairs of an owner and the row at which its ways meet, each once, joined to that row. */
function joinPairs(
  scope: Scope,
  met: Place,
  steps: readonly [Step, ...Step[]],
  meeting: number,
  sets: readonly SetNode[],
): Owners {
  const [first] = steps;
  const step = steps[meeting] as Step;
  const { source } = step;
  const alias = freeName(scope, "link", "link_2");
  const innerAlias = freeName(scope, source.table);
  const before = placeIn(draftFrom(tableOf(source, innerAlias)), source, innerAlias);
  const { select } = before;
  narrow(scope, before, sets[meeting - 1]);
  const nearest = joinBack(scope, before, steps.slice(1, meeting), sets);
  const innermost = first.pairs.map((pair) => columnOf(nearest, pair.to));
  select.isDistinct = true;
  select.where.push(...ownConditions(first, nearest));
  select.items.push(
    ...innermost.map((expression, i) => ({ expression, alias: `owner_${i + 1}` })),
    ...step.pairs.map((pair, i) => ({ expression: columnOf(before, pair.from), alias: `target_${i + 1}` })),
  );
  releaseNames(scope, select);
  const named = (name: string): SqlExpression => ({ kind: "column", table: alias, name });
  const equations = step.pairs.map(
    (pair, i): SqlExpression => ({
      kind: "binary",
      operator: "=",
      left: named(`target_${i + 1}`),
      right: columnOf(met, pair.to),
    }),
  );
  met.select.joins.push({
    kind: "inner",
    table: { kind: "derived", select, alias },
    on: [...equations, ...ownConditions(step, met)],
  });
  return { columns: innermost.map((_, i) => named(`owner_${i + 1}`)), select, innermost };
}

/**
 * Follows steps back from the rows at a place to the keys of their owners; no row comes twice for one owner.
 * `sets`: what narrows the rows after each step but the last.
 */
export function ownersOf(
  scope: Scope,
  place: Place,
  steps: readonly [Step, ...Step[]],
  sets: readonly SetNode[] = [],
): Owners {
  const meeting = lastMeeting(steps);
  if (meeting !== undefined) {
    const met = joinBack(scope, place, steps.slice(meeting + 1), sets.slice(meeting));
    return joinPairs(scope, met, steps, meeting, sets);
  }
  const [first, ...further] = steps;
  const nearest = joinBack(scope, place, further, sets);
  place.select.where.push(...ownConditions(first, nearest));
  const columns = first.pairs.map((pair) => columnOf(nearest, pair.to));
  return { columns, select: place.select, innermost: columns };
}
