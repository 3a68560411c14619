import { canonicalOf } from "../columns/index.js";
import { type ResolvedColumn, type ResolvedEntity, valueAt } from "../ir/index.js";
import { type LiveObject, liveStateOf } from "../live/index.js";

/** What a column of a row holds, as it is stored; undefined where that is not known. */
export type Read = (live: LiveObject, column: ResolvedColumn) => unknown;

/** Returns the value of a column in code. */
export const readNow: Read = (live, { steps, type }) => {
  const value = Object.hasOwn(live, steps[0] as string) ? valueAt(live, steps) : undefined;
  return value === undefined || value === null ? value : canonicalOf(value, type);
};

/**
 * The values of columns as one text; undefined where any of them is null or not known: then they are equal to no
 * others.
 */
export function valuesText(live: LiveObject, columns: readonly ResolvedColumn[], read: Read): string | undefined {
  let all = "";
  for (const column of columns) {
    const value = read(live, column);
    if (value === undefined || value === null) return undefined;
    const text = String(value);
    all += `${text.length}:${text}`;
  }
  return all;
}

/** Finds rows among some by the values of some of their columns. */
export class RowIndex {
  readonly #lives = new Map<ResolvedEntity, LiveObject[]>();
  readonly #read: Read;
  readonly #known = new Map<ResolvedEntity, Map<string, Map<string, LiveObject>>>();

  constructor(lives: Iterable<LiveObject>, read: Read) {
    this.#read = read;
    for (const live of lives) {
      const { entity } = liveStateOf(live).kind;
      const own = this.#lives.get(entity);
      if (own === undefined) this.#lives.set(entity, [live]);
      else own.push(live);
    }
  }

  /** Whether there is any row of an entity. */
  has(entity: ResolvedEntity): boolean {
    return this.#lives.has(entity);
  }

  /** The row of an entity that has these values in columns. */
  find(entity: ResolvedEntity, columns: readonly ResolvedColumn[], values: string | undefined): LiveObject | undefined {
    const lives = this.#lives.get(entity);
    if (lives === undefined || values === undefined) return undefined;
    const ofEntity = this.#known.get(entity) ?? new Map<string, Map<string, LiveObject>>();
    this.#known.set(entity, ofEntity);
    const name = columns.map(({ property }) => property).join("\u0000");
    let byValues = ofEntity.get(name);
    if (byValues === undefined) {
      byValues = new Map();
      for (const live of lives) {
        const text = valuesText(live, columns, this.#read);
        if (text !== undefined) byValues.set(text, live);
      }
      ofEntity.set(name, byValues);
    }
    return byValues.get(values);
  }
}
