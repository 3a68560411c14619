import type { FollowUp, StatementPlan } from "../../plan/index.js";
import type { CompiledStatement, Dialect, Keys, Wire } from "../../sql/index.js";
import type { Steps } from "../sessions/steps.js";
import { type Gathered, ownerAt, type Runtime } from "./gather.js";
import { ownerKey, ownerKeys } from "./owner-keys.js";
import { rowMissing } from "./row-missing.js";

/** A row on the way from a root to another, by its primary key. */
interface Link {
  readonly identity: string;
  readonly up: Link | undefined;
}

/** An object whose next level is to be fetched. */
interface Open {
  readonly owner: Record<string, unknown>;
  readonly key: Wire;
  readonly parts: readonly Wire[];
  readonly link: Link;
}

function isOnWay(link: Link | undefined, identity: string): boolean {
  for (let at = link; at !== undefined; at = at.up) if (at.identity === identity) return true;
  return false;
}

function openOf(
  row: readonly Wire[],
  owner: Record<string, unknown> | undefined,
  keys: readonly number[],
  identity: string,
  { byPosition }: StatementPlan,
  { wire }: Dialect,
  up?: Link,
): readonly Open[] {
  const key = ownerKey(row, keys, wire, byPosition);
  if (owner === undefined || key === null) return [];
  return [{ owner, key, parts: keys.map((slot) => row[slot] as Wire), link: { identity, up } }];
}

/** The object of a row once more, with what it reaches besides the next level. */
function copyOf({ plan, objects, rows }: Gathered, i: number, { constructorOf }: Runtime): unknown {
  const copy = constructorOf(plan)(rows[i] as readonly Wire[]);
  for (const mount of [...plan.joined, ...plan.nested, ...plan.followUps]) {
    const [from, to] = [ownerAt(objects[i], mount), ownerAt(copy, mount)];
    if (from === undefined || to === undefined) continue;
    const value = from[mount.property];
    to[mount.property] = Array.isArray(value) ? [...value] : value;
  }
  return copy;
}

/** Rows that were fetched, by the keys of their owners, and those of them that stand somewhere already. */
interface Level {
  readonly found: Gathered;
  readonly byKey: ReadonlyMap<Wire, readonly number[]>;
  readonly used: Set<number>;
}

function levelOf(plan: StatementPlan, found: Gathered, keys: Keys, dialect: Dialect): Level {
  const byKey = new Map<Wire, number[]>();
  ownerKeys(plan, found.rows, keys, dialect).forEach((key, i) => {
    const known = byKey.get(key);
    if (known === undefined) byKey.set(key, [i]);
    else known.push(i);
  });
  return { found, byKey, used: new Set() };
}

/**
 * Fetches a relation to the entity itself level by level, until nothing more is found: one text, sent once a level, or
 * once for all of them. A row that is on the way to another is not put below it, so that a circle comes to an end.
 */
export function* fetchLevels(
  { plan }: CompiledStatement,
  followUp: FollowUp,
  gathered: Gathered,
  runtime: Runtime,
  fetch: (keys: Keys) => Steps<Gathered>,
): Steps<void> {
  const { dialect } = runtime;
  const { property, cardinality, keys, levels, required } = followUp;
  // A row in memory and one that was fetched may write the same key in two ways.
  const decoders = plan.source.entity.key.map(({ type }) => dialect.wire.decoder(type));
  const identityOf = (row: readonly Wire[], slots: readonly number[]): string =>
    JSON.stringify(
      slots.map((slot, i) => {
        const wire = row[slot] as Wire;
        return wire === null ? null : String(decoders[i]?.(wire) ?? wire);
      }),
    );
  const below = plan.levels as NonNullable<typeof plan.levels>;
  const { most, identity } = levels as NonNullable<typeof levels>;
  let open = gathered.objects.flatMap((object, i) =>
    openOf(
      gathered.rows[i] as readonly Wire[],
      ownerAt(object, followUp),
      keys,
      identityOf(gathered.rows[i] as readonly Wire[], identity),
      plan,
      dialect,
    ),
  );
  let level: Level | undefined;
  for (let depth = 1; depth <= most && open.length > 0; depth++) {
    // Where all levels came at once, the first has the rows of the others.
    if (level === undefined || plan.closure === undefined) {
      const wanted = new Map(open.map(({ key, parts }) => [key, parts]));
      level = levelOf(plan, yield* fetch([...wanted.values()]), [...wanted.values()], dialect);
    }
    const { found, byKey, used } = level;
    const next: Open[] = [];
    for (const { owner, key, parts, link } of open) {
      if (required !== undefined && !byKey.has(key)) throw rowMissing(required, parts, parts.keys());
      for (const i of byKey.get(key) ?? []) {
        const row = found.rows[i] as readonly Wire[];
        const own = identityOf(row, below.identity);
        if (isOnWay(link, own)) continue;
        // What is below a row may depend on the way to it, where rows lead round in a circle.
        const object = (used.has(i) ? copyOf(found, i, runtime) : found.objects[i]) as Record<string, unknown>;
        used.add(i);
        if (cardinality === "many") (owner[property] as unknown[]).push(object);
        else owner[property] = object;
        next.push(...openOf(row, object, below.keys, own, plan, dialect, link));
      }
    }
    open = next;
  }
}
