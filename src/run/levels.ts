import type { FedStatement } from "../plan/index.js";
import type { CompiledStatement, Keys, Wire } from "../sql/index.js";
import { type Gathered, keyOf, ownerAt } from "./gather.js";
import { rowMissing } from "./row-missing.js";
import type { Steps } from "./steps.js";

/** A row on the way from a root to another, by its primary key. */
interface Link {
  readonly identity: Wire;
  readonly up: Link | undefined;
}

/** An object whose next level is to be fetched. */
interface Open {
  readonly owner: Record<string, unknown>;
  readonly key: Wire;
  readonly parts: readonly Wire[];
  readonly link: Link;
}

function isOnWay(link: Link | undefined, identity: Wire): boolean {
  for (let at = link; at !== undefined; at = at.up) if (at.identity === identity) return true;
  return false;
}

function openOf(
  row: readonly Wire[],
  owner: Record<string, unknown> | undefined,
  keys: readonly number[],
  identity: readonly number[],
  up?: Link,
): readonly Open[] {
  const key = keyOf(row, keys);
  if (owner === undefined || key === null) return [];
  return [{ owner, key, parts: keys.map((slot) => row[slot] as Wire), link: { identity: keyOf(row, identity), up } }];
}

/**
 * Fetches a relation to the entity itself level by level, until nothing more is found: one text, sent once a level.
 * A row that is on the way to another is not put below it, so that a circle comes to an end.
 */
export function* feedLevels(
  { plan }: CompiledStatement,
  fed: FedStatement,
  gathered: Gathered,
  fetch: (keys: Keys) => Steps<Gathered>,
): Steps<void> {
  const { property, cardinality, keys, levels, insisted } = fed;
  const below = plan.levels as NonNullable<typeof plan.levels>;
  const { most, identity } = levels as NonNullable<typeof levels>;
  let open = gathered.objects.flatMap((object, i) =>
    openOf(gathered.rows[i] as readonly Wire[], ownerAt(object, fed), keys, identity),
  );
  for (let level = 1; level <= most && open.length > 0; level++) {
    const wanted = new Map(open.map(({ key, parts }) => [key, parts]));
    const found = yield* fetch([...wanted.values()]);
    const byKey = new Map<Wire, number[]>();
    found.rows.forEach((row, i) => {
      const key = keyOf(row, plan.fedSlots);
      const known = byKey.get(key);
      if (known === undefined) byKey.set(key, [i]);
      else known.push(i);
    });
    const next = new Map<number, readonly Open[]>();
    for (const { owner, key, parts, link } of open) {
      if (insisted !== undefined && !byKey.has(key)) throw rowMissing(insisted, parts, parts.keys());
      for (const i of byKey.get(key) ?? []) {
        const row = found.rows[i] as readonly Wire[];
        if (isOnWay(link, keyOf(row, below.identity))) continue;
        const object = found.objects[i] as Record<string, unknown>;
        if (cardinality === "many") (owner[property] as unknown[]).push(object);
        else owner[property] = object;
        // Several owners may share it: it is gone on from once.
        if (!next.has(i)) next.set(i, openOf(row, object, below.keys, below.identity, link));
      }
    }
    open = [...next.values()].flat();
  }
}
