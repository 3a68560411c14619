import { type StandingCondition, valueAt } from "../ir/index.js";
import { type LiveObject, liveStateOf } from "../live/index.js";
import type { Steps } from "../run/index.js";
import { leave } from "./adopt.js";
import { type Changed, changedIn, pendingIn } from "./changes.js";
import { deleteAll, planRemoval, removedLate, writePast } from "./deletes.js";
import { isTied, unloadThrough } from "./follow.js";
import { dropAssigned, fillAll, insertAll, refuseCircular } from "./inserts.js";
import { defineField } from "./live-kind.js";
import { hiddenBy, isMarked, markIn } from "./marks.js";
import { planParking } from "./parking.js";
import { placeAt } from "./place-at.js";
import type { Unit } from "./unit.js";
import { maintain, updateAll } from "./updates.js";

/** The mark of an owner that was written before. */
const writtenMark = (unit: Unit, owner: LiveObject, { column }: StandingCondition): unknown =>
  liveStateOf(owner).status === "removed" && !unit.removed.has(owner) ? valueAt(owner, column.steps) : undefined;

/** Gives a removed entity its mark: the one of the owner that it goes with, where that is of the same kind. */
function giveMark(unit: Unit, live: LiveObject, known: Map<LiveObject, unknown>): unknown {
  const { goneWith } = unit;
  const mark = markIn(liveStateOf(live).kind.entity);
  if (mark === undefined) return undefined;
  const owner = goneWith.get(live);
  const ofOwner = owner === undefined ? undefined : markIn(liveStateOf(owner).kind.entity);
  const isAlike = ofOwner !== undefined && ofOwner.column.type.kind === mark.column.type.kind;
  const given =
    owner !== undefined && isAlike
      ? (known.get(owner) ?? writtenMark(unit, owner, ofOwner) ?? giveMark(goneOnly, owner, known))
      : undefined;
  const value = given ?? hiddenBy(mark);
  known.set(live, value);
  return value;
}

const goneOnly = { goneWith: new Map(), removed: new Set() } as Unit;

/** Marks removed entities: an update of what was changed before, of the mark, and of what each write makes anew. */
function* markAll(unit: Unit, lives: readonly LiveObject[], marks: Map<LiveObject, unknown>): Steps<void> {
  const changed = lives.map((live): Changed => {
    const state = liveStateOf(live);
    const { column } = markIn(state.kind.entity) as NonNullable<ReturnType<typeof markIn>>;
    const value = marks.get(live) ?? giveMark(unit, live, marks);
    if (column.steps.length > 1) placeAt(live, column.steps, value);
    else defineField(live, column.property, value);
    return { live, kept: state, names: [...new Set([...pendingIn(live, state), column.steps[0] as string])] };
  });
  maintain(changed);
  yield* updateAll(
    unit,
    changed.map((one) => ({ ...one, names: [...new Set([...one.names, ...pendingIn(one.live, one.kept)])] })),
  );
  for (const { live, kept: state } of changed) {
    leave(unit, state.kind.entity, live);
    unit.removed.delete(live);
  }
}

/** Whether a row was given a key since it was read, which may be that of a row that is yet to be inserted. */
function mayReferToNew(live: LiveObject): boolean {
  const state = liveStateOf(live);
  return state.awaits !== undefined || isTied(state.kind.entity, pendingIn(live, state));
}

/**
 * Writes all that is not written yet. What cannot be put into an order that the constraints allow is refused before
 * anything is sent.
 * @throws GemachError `ROWS_CIRCULAR`, `VALUES_TANGLED`
 */
export function* flushSteps(unit: Unit): Steps<void> {
  dropAssigned(unit);
  const changed = unit.maps.size === 0 ? [] : changedIn(unit);
  const marked = [...unit.removed].filter((live) => isMarked(unit, live));
  const deleted = [...unit.removed].filter((live) => !isMarked(unit, live));
  const deferred = removedLate(unit, deleted.length === 0 ? [] : changed);
  const { ownRowBlocks = false } = unit.context.compiler.runtime.dialect.writes;
  const removalOf = (isLate: boolean) =>
    planRemoval(
      deleted.filter((live) => deferred.has(live) === isLate),
      ownRowBlocks,
    );
  const [first, last] = [removalOf(false), removalOf(true)];
  refuseCircular(unit);
  const { parked, early } = planParking(unit, changed, deferred);
  const marks = new Map<LiveObject, unknown>();
  yield* writePast(unit, parked);
  yield* markAll(
    unit,
    marked.filter((live) => !mayReferToNew(live)),
    marks,
  );
  yield* deleteAll(unit, first);
  for (const one of early) yield* updateAll(unit, [one]);
  yield* insertAll(unit);
  fillAll(unit);
  yield* updateAll(unit, changedIn(unit));
  yield* markAll(
    unit,
    marked.filter((live) => unit.removed.has(live)),
    marks,
  );
  yield* deleteAll(unit, last);
  for (const entity of new Set(marked.map((live) => liveStateOf(live).kind.entity))) unloadThrough(unit, entity);
}
