import { derived } from "../columns/index.js";
import { isGiven, type ResolvedEntity, type Step } from "../ir/index.js";

/**
 * The names of what a handle gives by which rows of an entity are visible, by its own conditions and those that it goes
 * through.
 */
export const restrictedBy: (entity: ResolvedEntity) => ReadonlySet<string> = derived((entity: ResolvedEntity) => {
  const names = entity.standing.flatMap(({ value }) => (isGiven(value) ? [value.given] : []));
  return new Set([...names, ...parentsOf(entity).flatMap((parent) => [...restrictedBy(parent)])]);
});

const parentsOf = (entity: ResolvedEntity): readonly ResolvedEntity[] =>
  entity.through.flatMap(({ relation }) => entity.relations.get(relation)?.target ?? []);

/** The names of the conditions of an entity, and of those that it goes through; of constant ones alone, or of all. */
export function conditionNames(entity: ResolvedEntity, which: "constant" | "all"): readonly string[] {
  const own = entity.standing.flatMap(({ name, value }) => (which === "all" || !isGiven(value) ? [name] : []));
  const through = which === "all" ? entity.through.map(({ name }) => name) : [];
  return [...new Set([...own, ...through, ...parentsOf(entity).flatMap((parent) => conditionNames(parent, which))])];
}

/** The foreign keys of an entity that lead to rows of which a handle sees its own alone. */
export const restrictedKeys = derived((entity: ResolvedEntity): readonly Step[] => {
  const found = new Map<string, Step>();
  for (const { steps } of entity.relations.values()) {
    const [step] = steps;
    if (steps.length > 1 || step.holder !== "source" || restrictedBy(step.target).size === 0) continue;
    const { target, pairs } = step;
    found.set(`${target.name} ${pairs.map(({ from, to }) => `${from.property} ${to.property}`).join()}`, step);
  }
  return [...found.values()];
});
