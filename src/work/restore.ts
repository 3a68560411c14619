import { canonicalOf, decoderFor, type Scalar, typeWord } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { isGiven, valueAt } from "../ir/index.js";
import { LiveBase, type LiveObject, liveStateOf, noteAddedColumn } from "../live/index.js";
import { leave } from "./adopt.js";
import { pendingIn } from "./changes.js";
import { unloadThrough, unloadTo } from "./follow.js";
import { identityOf } from "./identity.js";
import { defineField } from "./live-kind.js";
import { related, wholeState } from "./load.js";
import { isMarked, markIn } from "./marks.js";
import { placeAt } from "./place-at.js";
import { mapOf, type Unit } from "./unit.js";

/** Gives an entity the value that visible rows have; gives the one that it had, as it is stored. */
function unmark(live: LiveObject): Scalar | undefined {
  const mark = markIn(liveStateOf(live).kind.entity);
  if (mark === undefined || isGiven(mark.value)) return undefined;
  const { column, value } = mark;
  const name = column.steps[0] as string;
  const before = Object.hasOwn(live, name) ? canonicalOf(valueAt(live, column.steps), column.type) : undefined;
  const visible = value === null ? null : (decoderFor(column.type)?.(value) ?? value);
  if (column.steps.length > 1) placeAt(live, column.steps, visible);
  else {
    defineField(live, name, visible);
    noteAddedColumn(liveStateOf(live), name);
  }
  return before;
}

/** Makes a removed entity visible again, with what was marked along with it. */
export async function restore(unit: Unit, value: unknown): Promise<void> {
  const state = LiveBase.of(value);
  const live = value as LiveObject;
  if (state === undefined || state.unit !== unit)
    throw new GemachError("LIVE_EXPECTED", {
      call: "restore()",
      expected: "an entity",
      got: state === undefined ? typeWord(value) : "one of another unit of work",
    });
  const { entity } = state.kind;
  if (unit.removed.has(live)) {
    // Nothing was written of it: it is as it was.
    unit.removed.delete(live);
    unit.forGood.delete(live);
    state.status = "kept";
    mapOf(unit, entity).set(identityOf(entity, live), live);
    unloadTo(unit, entity);
    for (const [child, owner] of [...unit.goneWith]) if (owner === live) await restore(unit, child);
    unit.goneWith.delete(live);
    return;
  }
  const isDeleted = state.status === "removed" && (markIn(entity) === undefined || unit.forGood.has(live));
  if (isDeleted || state.status === "forgotten")
    throw new GemachError("LIVE_EXPECTED", {
      call: "restore()",
      expected: `a ${entity.name}`,
      got: state.status === "forgotten" ? "one that was forgotten" : "one that was deleted",
    });
  if (state.status === "removed") {
    state.status = "kept";
    mapOf(unit, entity).set(identityOf(entity, live), live);
  }
  const before = unmark(live);
  if (!pendingIn(live, state).length || before === undefined) return;
  unloadTo(unit, entity);
  unloadThrough(unit, entity);
  // What this unit of work marked along with it comes back as the objects that code holds.
  const along = [...unit.goneWith].flatMap(([child, owner]) =>
    owner === live && liveStateOf(child).status === "removed" && !unit.removed.has(child) && isMarked(unit, child)
      ? [child]
      : [],
  );
  for (const child of along) {
    const { kind } = liveStateOf(child);
    liveStateOf(child).status = "kept";
    mapOf(unit, kind.entity).set(identityOf(kind.entity, child), child);
    unit.goneWith.delete(child);
  }
  const back = new Set<LiveObject>();
  for (const relation of entity.relations.values()) {
    const mark = markIn(relation.target);
    if (!relation.steps[0].isOwning || mark === undefined) continue;
    const found = await related(unit, wholeState(relation), [live], "restore", undefined, undefined);
    for (const child of found.flatMap(([, lists]) => lists.flat())) {
      const { column } = mark;
      const held = canonicalOf(valueAt(child, column.steps), column.type);
      const isAlike = column.type.kind === (markIn(entity)?.column.type.kind ?? column.type.kind);
      if (isAlike && held !== before) continue;
      back.add(child);
      await restore(unit, child);
    }
  }
  for (const child of along) {
    if (back.has(child)) continue;
    liveStateOf(child).status = "removed";
    leave(unit, liveStateOf(child).kind.entity, child);
  }
}
