import { typeWord } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { LiveBase, type LiveObject } from "./live-state.js";
import type { LiveEntity } from "./live-types.js";

/** Whether reading a relation or column of a live entity needs no statement any more. */
export function isHere<L extends LiveEntity>(entity: L, name: keyof L & string): boolean {
  const state = LiveBase.of(entity);
  if (state === undefined)
    throw new GemachError("LIVE_EXPECTED", { call: "isHere()", expected: "an entity", got: typeWord(entity) });
  const live = entity as LiveObject;
  const relation = state.kind.entity.relations.get(name);
  return relation === undefined ? Object.hasOwn(live, name) : state.kind.properties.isThere(live, state, relation);
}
