import { derived, type Encoder, encoderFor, type Scalar } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { qualified, type ResolvedColumn, type ResolvedEntity } from "../ir/index.js";
import { storedOrThrow } from "../model/index.js";

/** A new row, as the user gives it. */
export type GivenRow = Readonly<Record<string, unknown>>;

/**
 * Values of new rows, each in the form for dialects, in the order of the columns; undefined where the database has one
 * of its own.
 */
export type RowValues = readonly (Scalar | undefined)[];

/** New rows that were checked. */
export interface NewRows {
  /** The columns that an insert names: those that a row brings, and those for which code has values. */
  readonly columns: readonly ResolvedColumn[];
  readonly values: readonly RowValues[];
  /** Whether some rows leave out columns that others bring. */
  readonly isMixed: boolean;
  /** How many bytes of texts and bytes there are, about. */
  readonly bytes: number;
}

/** A column of an entity, and what its values go through. */
interface InsertColumn {
  readonly column: ResolvedColumn;
  /** Makes the form for dialects of what is no null, where nothing more is asked of it. */
  readonly encode: Encoder | undefined;
  readonly isNullable: boolean;
}

/** The properties that rows have, in the order in which they have them. */
interface RowNames {
  readonly names: readonly string[];
  /** For each column the position of the property that it is, or is part of; -1: none. */
  readonly slots: readonly number[];
}

/** What is kept with an entity, of the rows that were inserted: most are like those before them. */
interface InsertCache {
  readonly all: readonly InsertColumn[];
  readonly columns: Map<string, readonly ResolvedColumn[]>;
  names: RowNames | undefined;
  /** The places of the columns that rows brought last, and these columns. */
  named: readonly number[];
  brought: readonly ResolvedColumn[];
}

const cacheOf = derived((entity: ResolvedEntity): InsertCache => {
  const places = [...entity.columns.values()].map((column): InsertColumn => {
    const { steps, schema, isComputed, isRequired, type } = column;
    const isPlain = steps.length === 1 && schema === undefined && !isComputed;
    return { column, encode: isPlain ? encoderFor(type) : undefined, isNullable: !isRequired };
  });
  return { all: places, columns: new Map(), names: undefined, named: [], brought: [] };
});

const areSame = <T>(some: readonly T[], others: readonly T[]): boolean => {
  if (some.length !== others.length) return false;
  for (let i = 0; i < some.length; i++) if (some[i] !== others[i]) return false;
  return true;
};

/** Columns by their places: the same list each time, so that what is made of them can be kept with it. */
function columnsAt(cache: InsertCache, named: readonly number[]): readonly ResolvedColumn[] {
  if (areSame(named, cache.named)) return cache.brought;
  const key = named.join();
  const columns = cache.columns.get(key) ?? named.map((at) => (cache.all[at] as InsertColumn).column);
  cache.columns.set(key, columns);
  cache.named = named;
  cache.brought = columns;
  return columns;
}

/** @throws GemachError `NAME_UNKNOWN` */
function namesOf(entity: ResolvedEntity, { all, names: shape }: InsertCache, row: GivenRow): RowNames {
  const names = Object.keys(row);
  if (shape !== undefined && areSame(shape.names, names)) return shape;
  const unknown = names.find((name) => !entity.members.has(name));
  if (unknown !== undefined)
    throw new GemachError("NAME_UNKNOWN", { entity: entity.name, name: unknown, known: [...entity.members.keys()] });
  return { names, slots: all.map(({ column }) => names.indexOf(column.steps[0] as string)) };
}

/**
 * What an object has for the rest of a column's steps; undefined where it leaves the column out, be it with the value
 * object that it is part of.
 */
function givenIn(value: unknown, steps: readonly string[]): unknown {
  let at = value;
  for (let i = 1; i < steps.length; i++) {
    if (at === null) return null;
    if (at === undefined) return undefined;
    const name = steps[i] as string;
    at = Object.hasOwn(at as object, name) ? (at as GivenRow)[name] : undefined;
  }
  return at;
}

/** A new row's value: given, or made by code; undefined where the database has one of its own. */
function valueFor(column: ResolvedColumn, top: unknown, call: string, row: number): Scalar | undefined {
  const { steps, isNullable, isRequired, initial, isComputed, hasDefault, kind } = column;
  const given = givenIn(top, steps);
  if (isComputed) {
    if (given === undefined) return undefined;
    throw new GemachError("COLUMN_COMPUTED", { column: qualified(column), call, row });
  }
  // A value object that a column is part of has all of its values, or is not there.
  const owner = steps.length === 1 ? column : givenIn(top, steps.slice(0, -1));
  if ((owner === null || owner === undefined) && isNullable) return given === null ? null : undefined;
  const at = { call, row };
  if (given !== undefined) return storedOrThrow(column, given, !isRequired, at);
  if (initial !== undefined) return storedOrThrow(column, initial(), !isRequired, at);
  if (hasDefault || kind === "identity" || !isRequired) return undefined;
  return storedOrThrow(column, given, false, at);
}

/** The values of one row, by all columns of its entity. */
function valuesOf(
  places: readonly InsertColumn[],
  { slots }: RowNames,
  row: GivenRow,
  call: string,
  nth: number,
): RowValues {
  const given = Object.values(row);
  const values = new Array<Scalar | undefined>(places.length);
  for (let i = 0; i < places.length; i++) {
    const { column, encode, isNullable } = places[i] as InsertColumn;
    const slot = slots[i] as number;
    const value = slot < 0 ? undefined : given[slot];
    if (value === null && isNullable && encode !== undefined) {
      values[i] = null;
      continue;
    }
    const fast = encode === undefined || value === undefined || value === null ? undefined : encode(value);
    values[i] = fast === undefined ? valueFor(column, value, call, nth) : fast;
  }
  return values;
}

/**
 * Checks new rows: the one place where they are read. `before`: how many came before them in the same call.
 * @throws GemachError `NAME_UNKNOWN`, `COLUMN_COMPUTED`, `COLUMN_WITHOUT_VALUE`, `VALUE_UNFIT`, `VALUE_REFUSED`
 */
export function newRows(entity: ResolvedEntity, rows: readonly GivenRow[], call: string, before = 0): NewRows {
  const cache = cacheOf(entity);
  const { all: known } = cache;
  const counts = new Array<number>(known.length).fill(0);
  let bytes = 0;
  const all = new Array<RowValues>(rows.length);
  for (let nth = 0; nth < rows.length; nth++) {
    const row = rows[nth] as GivenRow;
    cache.names = namesOf(entity, cache, row);
    const values = valuesOf(known, cache.names, row, call, before + nth + 1);
    all[nth] = values;
    for (let i = 0; i < values.length; i++) {
      const value = values[i];
      if (value === undefined) continue;
      (counts[i] as number)++;
      bytes += typeof value === "string" || value instanceof Uint8Array ? value.length : 8;
    }
  }
  const named: number[] = [];
  let isMixed = false;
  for (let i = 0; i < counts.length; i++) {
    const count = counts[i] as number;
    if (count > 0) named.push(i);
    if (count > 0 && count < rows.length) isMixed = true;
  }
  const values = named.length === known.length ? all : all.map((own) => named.map((i) => own[i]));
  return { columns: columnsAt(cache, named), values, isMixed, bytes };
}
