import type { ResolvedEntity } from "../ir/index.js";
import { entitiesOf } from "../model/index.js";
import { restrictedBy } from "./restricted.js";

/** An entity whose rows are open to all handles, although they lead to rows of which each handle sees its own alone. */
export interface OpenEntity {
  readonly entity: string;
  /** The way from it to such an entity, as "item.depot". */
  readonly path: string;
  /** That entity. */
  readonly leadsTo: string;
}

/** The shortest way over keys that stand in the rows to an entity that is restricted; undefined where there is none. */
function wayFrom(entity: ResolvedEntity): { readonly path: string; readonly to: ResolvedEntity } | undefined {
  const seen = new Set([entity]);
  let open: readonly { readonly path: readonly string[]; readonly at: ResolvedEntity }[] = [{ path: [], at: entity }];
  while (open.length > 0) {
    const next: { readonly path: readonly string[]; readonly at: ResolvedEntity }[] = [];
    for (const { path, at } of open)
      for (const { name, steps, target } of at.relations.values()) {
        if (steps.length > 1 || steps[0].holder !== "source" || seen.has(target)) continue;
        seen.add(target);
        if (restrictedBy(target).size > 0) return { path: [...path, name].join("."), to: target };
        next.push({ path: [...path, name], at: target });
      }
    open = next;
  }
  return undefined;
}

/** The entities among these that are open, but for those that say why (`open`). */
export const openAmong = (entities: readonly ResolvedEntity[]): readonly OpenEntity[] =>
  entities.flatMap((entity) => {
    if (entity.open !== undefined || restrictedBy(entity).size > 0) return [];
    const way = wayFrom(entity);
    return way === undefined ? [] : [{ entity: entity.name, path: way.path, leadsTo: way.to.name }];
  });

/**
 * The entities of a model whose rows are open to all handles, although they lead to rows of which each handle (`db.as`)
 * sees its own alone: each needs a standing condition, or says by its option `open` why it has none.
 */
export const openEntities = (model: Readonly<Record<string, unknown>>): readonly OpenEntity[] =>
  openAmong(entitiesOf(model));
