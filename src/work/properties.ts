import { workError } from "../errors/index.js";

import { LiveBase, type LiveObject, type LiveState, type Properties } from "../live/index.js";
import { type CallSite, callSite } from "../run/index.js";
import { setLoaded } from "./adopt.js";
import { isOutdated, unload } from "./follow.js";
import { LazyRead } from "./lazy-read.js";
import { knownOne, loadColumn, loadRelation } from "./load.js";
import { mayLoad } from "./outside.js";
import { setRelation } from "./relations.js";
import { isDirect, isOurs, type Unit, unitOf } from "./unit.js";
import { whole } from "./whole.js";

/** Where code reads a property, if somebody watches. */
const siteOf = (state: LiveState, reading: unknown): CallSite | undefined =>
  unitOf(state).context.sender.watch.isWatched() ? callSite(reading, 3) : undefined;

/** Whether what is loaded is, or has in it, an entity that was forgotten. */
const isForgotten = (loaded: unknown): boolean =>
  Array.isArray(loaded) ? loaded.some(isForgotten) : LiveBase.of(loaded)?.status === "forgotten";

/** Whether a row that is there lacks columns, which are loaded before it is handed out. */
const isPartial = ({ partial }: Unit, known: LiveObject | null): boolean => known !== null && partial.has(known);

const livesIn = (value: unknown): readonly LiveObject[] =>
  (Array.isArray(value) ? value : [value]).filter((one) => LiveBase.of(one) !== undefined);

/** What live entities do when their properties are read and set. */
export const properties: Properties = {
  setRelation,
  readRelation(live, state, relation, reading) {
    const unit = unitOf(state);
    const loaded = state.related?.get(relation.name);
    if (loaded !== undefined) {
      // What nobody looks after any more stays as it was.
      if (state.status === "forgotten" || unit.isEnded) return loaded;
      const isGone = unit.forgets && isForgotten(loaded);
      if (!isGone && !isOutdated(live, state, relation, loaded)) return loaded;
      unload(live, state, relation.name);
    }
    const known = knownOne(unit, live, relation);
    if (known !== undefined && !isPartial(unit, known)) {
      setLoaded(unit, live, state, relation, known);
      return known;
    }
    if (state.status === "new" && isDirect(relation) && !isOurs(relation)) {
      // Nothing leads to what is not written yet, but what was added with it.
      const none = relation.cardinality === "many" ? [] : null;
      setLoaded(unit, live, state, relation, none);
      return none;
    }
    if (!mayLoad(state, relation.name, true)) return relation.cardinality === "many" ? [] : null;
    const at = siteOf(state, reading);
    return new LazyRead(async () => {
      const value = await loadRelation(live, state, relation, at);
      await whole(unit, undefined, livesIn(value), at);
      return value;
    });
  },
  isThere: (live, state, relation) => {
    if (state.related?.has(relation.name) === true) return true;
    const known = knownOne(unitOf(state), live, relation);
    return known !== undefined && !isPartial(unitOf(state), known);
  },
  readColumn(live, state, name, reading) {
    const { entity } = state.kind;
    const isAwaited = [...(state.awaits?.keys() ?? [])].some(({ steps }) => steps[0] === name);
    if (state.status === "new" || isAwaited) throw workError("KEY_PENDING", { entity: entity.name, column: name });
    if (!mayLoad(state, name, false)) return null;
    const at = siteOf(state, reading);
    return new LazyRead(() => loadColumn(live, state, name, at));
  },
};
