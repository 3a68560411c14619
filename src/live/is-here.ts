import { typeWord } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { type LiveObject, Stamped } from "./kept.js";
import type { LiveEntity } from "./live-types.js";

/** Whether reading a relation or column of a live entity needs no statement any more. */
export function isHere<L extends LiveEntity>(entity: L, name: keyof L & string): boolean {
  const kept = Stamped.of(entity);
  if (kept === undefined)
    throw new GemachError("LIVE_EXPECTED", { call: "isHere()", expected: "an entity", got: typeWord(entity) });
  const live = entity as unknown as LiveObject;
  const relation = kept.kind.entity.relations.get(name);
  return relation === undefined ? Object.hasOwn(live, name) : kept.kind.properties.isThere(live, kept, relation);
}
