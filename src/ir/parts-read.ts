import type { QueryState, ResolvedEntity, ResolvedRelation, Step } from "./resolved.js";

/** What leads out of a query, or into the definitions of columns. */
const skipped: ReadonlySet<string> = new Set(["memo", "given", "outside", "column", "columns", "type", "pairs"]);

const isEntity = (part: object): part is ResolvedEntity => "members" in part && "relations" in part;

const isRelation = (part: object): part is ResolvedRelation | Step => "cardinality" in part && "source" in part;

/** Every object that a query is made of, each once; of an entity no more than what it is derived from. */
function partsRead(state: QueryState): ReadonlySet<object> {
  const found = new Set<object>();
  const visit = (part: unknown): void => {
    if (typeof part !== "object" || part === null || found.has(part)) return;
    found.add(part);
    if (Array.isArray(part)) for (const one of part) visit(one);
    else if (isEntity(part)) visit(part.derivation);
    else if (!(part instanceof Map))
      for (const [name, inner] of Object.entries(part)) if (!skipped.has(name)) visit(inner);
  };
  visit(state);
  return found;
}

/** Every entity whose rows a query looks at. */
export const entitiesRead = (state: QueryState): ReadonlySet<ResolvedEntity> =>
  new Set([...partsRead(state)].filter(isEntity));

/** Whether a query has SQL in it as somebody wrote it, which may read any table. */
export const hasOwnSql = (state: QueryState): boolean =>
  [...partsRead(state)].some((part) => "kind" in part && part.kind === "raw");

/** The relations that a query goes over, as "Loan.item": reached, or on a path, or as a set. */
export const relationsRead = (state: QueryState): ReadonlySet<string> =>
  new Set([...partsRead(state)].filter(isRelation).map(({ source, name }) => `${source.name}.${name}`));

/** Every entity that relations lead to from these, and themselves. */
export function entitiesAround(start: Iterable<ResolvedEntity>): readonly ResolvedEntity[] {
  const found = new Set(start);
  for (const entity of found)
    for (const { steps } of entity.relations.values()) for (const { target } of steps) found.add(target);
  return [...found];
}
