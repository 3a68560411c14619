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
interface Place {
  readonly column: ResolvedColumn;
  /** Makes the form for dialects of what is no null, where nothing more is asked of it. */
  readonly encode: Encoder | undefined;
  readonly isNullable: boolean;
}

/** The properties that rows have, in the order in which they have them. */
interface Shape {
  readonly names: readonly string[];
  /** For each column the position of the property that it is, or is part of; -1: none. */
  readonly slots: readonly number[];
}

/** What is kept with an entity, of the rows that were inserted: most are like those before them. */
interface Kept {
  readonly places: readonly Place[];
  readonly columns: Map<string, readonly ResolvedColumn[]>;
  shape: Shape | undefined;
  /** The places of the columns that rows brought last, and these columns. */
  named: readonly number[];
  brought: readonly ResolvedColumn[];
}

const keptFor = derived((entity: ResolvedEntity): Kept => {
  const places = [...entity.columns.values()].map((column): Place => {
    const { steps, schema, isComputed, isRequired, type } = column;
    const isPlain = steps.length === 1 && schema === undefined && !isComputed;
    return { column, encode: isPlain ? encoderFor(type) : undefined, isNullable: !isRequired };
  });
  return { places, columns: new Map(), shape: undefined, named: [], brought: [] };
});

const areSame = <T>(some: readonly T[], others: readonly T[]): boolean => {
  if (some.length !== others.length) return false;
  for (let i = 0; i < some.length; i++) if (some[i] !== others[i]) return false;
  return true;
};

/** Columns by their places: the same list each time, so that what is made of them can be kept with it. */
function columnsAt(kept: Kept, named: readonly number[]): readonly ResolvedColumn[] {
  if (areSame(named, kept.named)) return kept.brought;
  const key = named.join();
  const columns = kept.columns.get(key) ?? named.map((at) => (kept.places[at] as Place).column);
  kept.columns.set(key, columns);
  kept.named = named;
  kept.brought = columns;
  return columns;
}

/** @throws GemachError `NAME_UNKNOWN` */
function shapeOf(entity: ResolvedEntity, { places, shape }: Kept, row: GivenRow): Shape {
  const names = Object.keys(row);
  if (shape !== undefined && areSame(shape.names, names)) return shape;
  const unknown = names.find((name) => !entity.members.has(name));
  if (unknown !== undefined)
    throw new GemachError("NAME_UNKNOWN", { entity: entity.name, name: unknown, known: [...entity.members.keys()] });
  return { names, slots: places.map(({ column }) => names.indexOf(column.steps[0] as string)) };
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
function valuesOf(places: readonly Place[], { slots }: Shape, row: GivenRow, call: string, nth: number): RowValues {
  const given = Object.values(row);
  const values = new Array<Scalar | undefined>(places.length);
  for (let i = 0; i < places.length; i++) {
    const { column, encode, isNullable } = places[i] as Place;
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
  const kept = keptFor(entity);
  const { places } = kept;
  const counts = new Array<number>(places.length).fill(0);
  let bytes = 0;
  const all = new Array<RowValues>(rows.length);
  for (let nth = 0; nth < rows.length; nth++) {
    const row = rows[nth] as GivenRow;
    kept.shape = shapeOf(entity, kept, row);
    const values = valuesOf(places, kept.shape, row, call, before + nth + 1);
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
  const values = named.length === places.length ? all : all.map((own) => named.map((i) => own[i]));
  return { columns: columnsAt(kept, named), values, isMixed, bytes };
}
