import type { QueryState } from "../ir/index.js";
import type { VerbOrigin } from "../run/index.js";

/** What code read of the rows that one call gave it. */
export interface ReadTally {
  readonly origin: VerbOrigin;
  readonly state: QueryState;
  /** How many rows the call gave. */
  readonly rows: number;
  /** How many of them were looked at: any property of them. */
  readonly touched: number;
  /**
   * The properties of its rows and of those that they reach, by the path to them; none was read of a projection's
   * value.
   */
  readonly properties: readonly ReadProperty[];
}

/** A property of the rows of one call. */
export interface ReadProperty {
  /** "loans", "loans.due" */
  readonly path: string;
  /** How many objects have it, and of how many it was read. */
  readonly there: number;
  readonly read: number;
  /** About how many bytes its values have. */
  readonly bytes: number;
  /** Whether its values are rows of their own. */
  readonly isRelation: boolean;
}

/** A tally that is still going on. */
export interface OpenTally {
  /** Everything of an object was read, as far as code can tell: it was handed out. */
  handedOut(object: object): void;
  done(): ReadTally;
}

interface Counts {
  there: number;
  read: number;
  bytes: number;
  isRelation: boolean;
}

const isRow = (value: unknown): value is Record<string, unknown> =>
  typeof value === "object" && value !== null && !(value instanceof Uint8Array) && !(value instanceof Date);

const bytesOf = (value: unknown): number => {
  if (typeof value === "string") return value.length;
  return value instanceof Uint8Array ? value.byteLength : value === null ? 0 : 8;
};

/**
 * Rows of a call whose properties say when they are read. The rows stay the same objects, with the same properties in
 * the same order.
 */
export function tallyOf(rows: readonly unknown[], state: QueryState, origin: VerbOrigin): OpenTally {
  const counts = new Map<string, Counts>();
  const seen = new Map<object, () => void>();
  const touched = new Set<object>();
  const roots = new Set<object>();

  const watch = (row: Record<string, unknown>, query: QueryState, path: string): void => {
    if (seen.has(row)) return;
    const others = new Map(query.reach.map((reached) => [reached.relation.name, reached.query]));
    const all: (() => void)[] = [];
    seen.set(row, () => {
      for (const read of all) read();
    });
    for (const name of Object.keys(row)) {
      let value = row[name];
      const below = others.get(name);
      const at = path === "" ? name : `${path}.${name}`;
      const count = counts.get(at) ?? { there: 0, read: 0, bytes: 0, isRelation: below !== undefined };
      counts.set(at, count);
      count.there++;
      if (below === undefined) count.bytes += bytesOf(value);
      else for (const one of Array.isArray(value) ? value : [value]) if (isRow(one)) watch(one, below, at);
      let isRead = false;
      const read = (): void => {
        touched.add(row);
        if (isRead) return;
        isRead = true;
        count.read++;
      };
      all.push(read);
      Object.defineProperty(row, name, {
        enumerable: true,
        configurable: true,
        get: () => {
          read();
          return value;
        },
        set: (other: unknown) => {
          value = other;
        },
      });
    }
  };
  for (const row of rows) {
    if (!isRow(row) || Array.isArray(row) || Object.isFrozen(row)) continue;
    roots.add(row);
    watch(row, state, "");
  }
  return {
    handedOut: (object) => seen.get(object)?.(),
    done: () => ({
      origin,
      state,
      rows: rows.length,
      touched: roots.size === 0 ? rows.length : [...roots].filter((row) => touched.has(row)).length,
      properties: [...counts].map(([path, count]) => ({ path, ...count })),
    }),
  };
}

/** Everything that can be got from a value counts as read: what work gives is read by others later. */
export function handOut(value: unknown, tallies: readonly OpenTally[]): void {
  const seen = new Set<object>();
  const visit = (part: unknown): void => {
    if (!isRow(part) || seen.has(part)) return;
    seen.add(part);
    for (const tally of tallies) tally.handedOut(part);
    if (part instanceof Map || part instanceof Set) {
      for (const inner of part.values()) visit(inner);
      return;
    }
    for (const inner of Object.values(part)) visit(inner);
  };
  visit(value);
}
