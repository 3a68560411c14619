import { kinds } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { expectKey, type ResolvedEntity } from "../ir/index.js";
import { type LiveObject, liveStateOf } from "../live/index.js";
import type { CallSite } from "../run/index.js";
import { identityOf } from "./identity.js";
import { fetchByKeys } from "./load.js";
import { placeAt } from "./place-at.js";
import { mapOf, type Unit } from "./unit.js";
import { whole } from "./whole.js";

/** Entities that are asked for by their keys in one tick, by key. */
interface Asked {
  readonly rows: Map<unknown, LiveObject>;
  readonly found: Promise<void>;
}

/** A row of the columns of a key alone. */
function keyRow(entity: ResolvedEntity, key: unknown): LiveObject {
  const row: LiveObject = {};
  const first = entity.key[0];
  if (first !== undefined && entity.key.length === 1) placeAt(row, first.steps, key);
  else for (const { property, steps } of entity.key) placeAt(row, steps, (key as LiveObject | null)?.[property]);
  return row;
}

/** Reads entities by their keys: those that are there at once, others together. */
export function keyReads(unit: Unit) {
  const asked = new Map<ResolvedEntity, Asked>();

  async function fetchLater(
    entity: ResolvedEntity,
    rows: Map<unknown, LiveObject>,
    at: CallSite | undefined,
  ): Promise<void> {
    await Promise.resolve();
    asked.delete(entity);
    // What was changed of other rows does not matter for a row that is not there yet; what was added or removed may be
    // it.
    const isOf = (live: LiveObject) => liveStateOf(live).kind.entity === entity || unit.removed.has(live);
    if ([...unit.added, ...unit.removed].some(isOf)) await unit.flushFor(() => new Set([entity]));
    // Elsewhere the database alone knows which of the rows is that of a key.
    const isTogether = entity.key.every(({ kind }) => kinds[kind].isKeyedByBytes);
    const keys = [...rows.values()];
    if (isTogether) await fetchByKeys(unit, entity, keys, at);
    else
      for (const [identity, row] of rows) {
        const [live] = await fetchByKeys(unit, entity, [row], at);
        if (live !== undefined) rows.set(identity, live);
      }
  }

  /** The entity once it was looked for. */
  const foundIn = (entity: ResolvedEntity, identity: unknown, row: LiveObject, { rows }: Asked): LiveObject => {
    const live = mapOf(unit, entity).get(identity) ?? rows.get(identity);
    if (live === undefined || live === row) throw new GemachError("NONE_FOUND", { entity: entity.name, call: "byKey" });
    return live;
  };

  return (entity: ResolvedEntity, key: unknown, at: CallSite | undefined): LiveObject | Promise<LiveObject> => {
    expectKey(entity, "byKey()");
    const row = keyRow(entity, key);
    const identity = identityOf(entity, row);
    const known = mapOf(unit, entity).get(identity);
    if (known !== undefined && liveStateOf(known).status === "kept")
      return whole(unit, undefined, [known], at)?.then(() => known) ?? known;
    let open = asked.get(entity);
    if (open === undefined) {
      const rows = new Map<unknown, LiveObject>();
      open = { rows, found: fetchLater(entity, rows, at) };
      asked.set(entity, open);
    }
    // The first of those that ask for one row.
    const same = open.rows.get(identity) ?? row;
    open.rows.set(identity, same);
    const of = open;
    return open.found.then(() => foundIn(entity, identity, same, of));
  };
}
