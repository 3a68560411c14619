import { workError } from "../errors/index.js";

import { type Kept, type Properties, Stamped } from "../live/index.js";
import { type CallSite, callSite } from "../run/index.js";
import { setLoaded } from "./adopt.js";
import { isOutdated, unload } from "./follow.js";
import { LazyRead } from "./lazy-read.js";
import { knownOne, loadColumn, loadRelation } from "./load.js";
import { mayLoad } from "./outside.js";
import { setRelation } from "./relations.js";
import { isDirect, isOurs, unitOf } from "./unit.js";

/** Where code reads a property, if somebody watches. */
const siteOf = (kept: Kept, reading: unknown): CallSite | undefined =>
  unitOf(kept).context.sender.watch.isWatched() ? callSite(reading, 3) : undefined;

/** Whether what is loaded is, or has in it, an entity that was forgotten. */
const isForgotten = (loaded: unknown): boolean =>
  Array.isArray(loaded) ? loaded.some(isForgotten) : Stamped.of(loaded)?.standing === "forgotten";

/** What live entities do when their properties are read and set. */
export const properties: Properties = {
  setRelation,
  readRelation(live, kept, relation, reading) {
    const unit = unitOf(kept);
    const loaded = kept.related?.get(relation.name);
    if (loaded !== undefined) {
      // What nobody looks after any more stays as it was.
      if (kept.standing === "forgotten" || unit.isEnded) return loaded;
      const isGone = unit.forgets && isForgotten(loaded);
      if (!isGone && !isOutdated(live, kept, relation, loaded)) return loaded;
      unload(live, kept, relation.name);
    }
    const known = knownOne(unit, live, relation);
    if (known !== undefined) {
      setLoaded(unit, live, kept, relation, known);
      return known;
    }
    if (kept.standing === "new" && isDirect(relation) && !isOurs(relation)) {
      // Nothing leads to what is not written yet, but what was added with it.
      const none = relation.cardinality === "many" ? [] : null;
      setLoaded(unit, live, kept, relation, none);
      return none;
    }
    if (!mayLoad(kept, relation.name, true)) return relation.cardinality === "many" ? [] : null;
    const at = siteOf(kept, reading);
    return new LazyRead(() => loadRelation(live, kept, relation, at));
  },
  isThere: (live, kept, relation) =>
    kept.related?.has(relation.name) === true || knownOne(unitOf(kept), live, relation) !== undefined,
  readColumn(live, kept, name, reading) {
    const { entity } = kept.kind;
    const isAwaited = [...(kept.awaits?.keys() ?? [])].some(({ steps }) => steps[0] === name);
    if (kept.standing === "new" || isAwaited) throw workError("KEY_PENDING", { entity: entity.name, column: name });
    if (!mayLoad(kept, name, false)) return null;
    const at = siteOf(kept, reading);
    return new LazyRead(() => loadColumn(live, kept, name, at));
  },
};
