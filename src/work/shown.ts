import { LiveBase, type LiveObject, liveStateOf } from "../live/index.js";
import { LazyRead } from "./lazy-read.js";

/**
 * A plain copy of what is there of an entity, for print and JSON: loads nothing. An entity below itself is its key
 * alone, so that the copy has an end.
 */
export function shownOf(live: LiveObject, prototype: object, above: readonly object[] = []): object {
  const shown = Object.create(prototype) as LiveObject;
  const path = [...above, live];
  const { related } = liveStateOf(live);
  for (const name of Object.keys(live)) {
    // What is loaded is read past the property, which would load it anew where it is out of date.
    const value = related?.get(name) ?? live[name];
    if (!(value instanceof LazyRead)) shown[name] = partOf(value, path);
  }
  return shown;
}

function partOf(value: unknown, path: readonly object[]): unknown {
  if (Array.isArray(value)) return value.map((part) => partOf(part, path));
  const state = LiveBase.of(value);
  if (state === undefined) return value;
  if (!path.includes(value as object)) return shownOf(value as LiveObject, Object.prototype, path);
  const own = state.kind.entity.key
    .map(({ steps }) => steps[0] as string)
    .filter((name) => Object.hasOwn(value as object, name));
  return Object.fromEntries(own.map((name) => [name, (value as LiveObject)[name]]));
}
