import type { ResolvedEntity } from "../ir/index.js";
import { type LiveObject, liveStateOf } from "../live/index.js";
import { dependencyOrder } from "../model/index.js";

/** The entities that rows of an entity refer to by their keys. */
export const referred = ({ relations }: ResolvedEntity): readonly ResolvedEntity[] =>
  [...relations.values()].flatMap(({ steps: [step] }) => (step.holder === "source" ? [step.target] : []));

/** Live entities by what they are of, those first that others refer to. */
export function byEntity(lives: Iterable<LiveObject>): readonly (readonly [ResolvedEntity, LiveObject[]])[] {
  const groups = new Map<ResolvedEntity, LiveObject[]>();
  for (const live of lives) {
    const { entity } = liveStateOf(live).kind;
    const group = groups.get(entity);
    if (group === undefined) groups.set(entity, [live]);
    else group.push(live);
  }
  const inSet = (entity: ResolvedEntity) => referred(entity).filter((other) => groups.has(other));
  return dependencyOrder([...groups.keys()], inSet).map(({ item }) => [item, groups.get(item) as LiveObject[]]);
}
