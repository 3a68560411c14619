import type { ValueType } from "../../columns/index.js";
import type { JoinedRows, Mount, NestedRows, RowPlan } from "../../plan/index.js";
import type { Dialect, Wire } from "../../sql/index.js";
import type { WireRows } from "../sessions/driver.js";
import { located } from "./located.js";
import type { RowConstructor } from "./row-constructor.js";
/** Gives the constructor of a plan's rows. */
export type ConstructorOf = (plan: RowPlan) => RowConstructor;

/** The means of making objects of rows. */
export interface Runtime {
  readonly dialect: Dialect;
  readonly constructorOf: ConstructorOf;
}

/** The objects that rows became, each with the first row it was found in. */
export interface Gathered {
  readonly plan: RowPlan;
  readonly objects: readonly unknown[];
  readonly rows: WireRows;
  /** What was joined to them or nested in them, level by level. */
  readonly nested: readonly Gathered[];
}

/** A key of one or several columns as one value that a Map can tell from others; null where any of them is null. */
export function keyOf(row: readonly Wire[], slots: readonly number[]): Wire {
  if (slots.length === 1) {
    const part = row[slots[0] as number] as Wire;
    return part instanceof Uint8Array ? String(part) : part;
  }
  let key = "";
  for (const slot of slots) {
    const part = row[slot] as Wire;
    if (part === null) return null;
    const text = String(part);
    key += `${text.length}:${text}`;
  }
  return key;
}

/** The object that a mount is on, below a row's object; undefined where a to-one relation on the way has no row. */
export function ownerAt(object: unknown, { at }: Mount): Record<string, unknown> | undefined {
  let owner = object as Record<string, unknown> | null;
  for (const property of at) {
    if (owner === null) return undefined;
    owner = owner[property] as Record<string, unknown> | null;
  }
  return owner ?? undefined;
}

/** Which object each row belongs to; -1 where it has none. */
type ObjectOfRow = readonly number[];

interface Level {
  readonly gathered: Gathered;
  readonly objectOfRow: ObjectOfRow;
}

/** Makes each object once, in the order of first appearance. */
function gatherLevel(
  plan: RowPlan,
  rows: WireRows,
  runtime: Runtime,
  owners: {
    readonly ofRow: ObjectOfRow;
    readonly count: number;
    readonly add: (owner: number, object: unknown) => void;
  },
  isContiguous: boolean,
): Level {
  const make = runtime.constructorOf(plan);
  const makeOne = (row: readonly Wire[]): unknown => {
    try {
      return make(row);
    } catch (error) {
      throw located(error, plan, row, runtime.dialect);
    }
  };
  const objects: unknown[] = [];
  const firstRows: (readonly Wire[])[] = [];
  const objectOfRow: number[] = new Array(rows.length);
  const known = isContiguous ? [] : Array.from({ length: owners.count }, () => new Map<Wire, number>());
  let lastOwner = -1;
  let lastKey: Wire = null;
  for (let i = 0; i < rows.length; i++) {
    const row = rows[i] as readonly Wire[];
    const owner = owners.ofRow[i] as number;
    const key = keyOf(row, plan.identity);
    if (key === null || owner < 0) {
      objectOfRow[i] = -1;
      continue;
    }
    const isSame = owner === lastOwner && key === lastKey;
    const index = isSame ? objects.length - 1 : known[owner]?.get(key);
    if (index !== undefined) {
      objectOfRow[i] = index;
      continue;
    }
    const object = makeOne(row);
    objectOfRow[i] = objects.push(object) - 1;
    firstRows.push(row);
    owners.add(owner, object);
    if (isContiguous) [lastOwner, lastKey] = [owner, key];
    else known[owner]?.set(key, objects.length - 1);
  }
  const gathered: Gathered = {
    plan,
    objects,
    rows: firstRows,
    nested: [
      ...plan.joined.map((joined, i) =>
        gatherJoined(joined, rows, objects, objectOfRow, runtime, isContiguous && i === 0),
      ),
      ...plan.nested.map((nested) => gatherNested(nested, objects, firstRows, runtime)),
    ],
  };
  return { gathered, objectOfRow };
}

/**
 * Rows are sorted level by level, a level's first joined relation before its second. So an object's
 * rows follow one another as long as only first relations lie between it and the root.
 */
function gatherJoined(
  joined: JoinedRows,
  rows: WireRows,
  objects: readonly unknown[],
  objectOfRow: ObjectOfRow,
  runtime: Runtime,
  isContiguous: boolean,
): Gathered {
  const add = (owner: number, object: unknown) =>
    (ownerAt(objects[owner], joined)?.[joined.property] as unknown[] | undefined)?.push(object);
  const owners = { ofRow: objectOfRow, count: objects.length, add };
  return gatherLevel(joined.rows, rows, runtime, owners, isContiguous).gathered;
}

/** Makes the objects of rows that came as JSON inside of their owners' rows. */
function gatherNested(nested: NestedRows, owners: readonly unknown[], ownerRows: WireRows, runtime: Runtime): Gathered {
  const rows: Wire[][] = [];
  const counts: number[] = [];
  const lists: unknown[][] = [];
  for (let i = 0; i < owners.length; i++) {
    const owner = ownerAt(owners[i], nested);
    const given = (ownerRows[i] as readonly Wire[])[nested.slot] as Wire | Wire[][];
    if (owner === undefined || given === null) continue;
    const own = typeof given === "string" ? (JSON.parse(given) as Wire[][]) : (given as Wire[][]);
    for (const row of own) rows.push(row);
    counts.push(own.length);
    lists.push(owner[nested.property] as unknown[]);
  }
  restore(nested.types, nested.rows, rows, runtime.dialect);
  const gathered = gather(nested.rows, rows, runtime);
  let at = 0;
  lists.forEach((list, i) => {
    for (const end = at + (counts[i] as number); at < end; at++) list.push(gathered.objects[at]);
  });
  return gathered;
}

/** Turns values of JSON into what would have come over the wire. */
export function restore(
  types: readonly (ValueType | undefined)[],
  { followUps }: Pick<RowPlan, "followUps">,
  rows: readonly Wire[][],
  { wire }: Dialect,
): void {
  const keys = new Set(followUps.flatMap((one) => one.keys));
  types.forEach((type, slot) => {
    const made = type === undefined ? undefined : wire.fromJson(type, keys.has(slot));
    if (made === undefined) return;
    for (const row of rows) {
      const part = row[slot] as Wire;
      if (part !== null) row[slot] = made(part);
    }
  });
}

/**
 * Turns a statement's rows into objects, joined rows in the arrays of their owners. `isContiguous`: an object's rows
 * follow one another, which they need not where several owners share one.
 */
export function gather(plan: RowPlan, rows: WireRows, runtime: Runtime, isContiguous = true): Gathered {
  if (plan.joined.length === 0) {
    const make = runtime.constructorOf(plan);
    const objects = new Array<unknown>(rows.length);
    let i = 0;
    try {
      for (; i < rows.length; i++) objects[i] = make(rows[i] as readonly Wire[]);
    } catch (error) {
      throw located(error, plan, rows[i] as readonly Wire[], runtime.dialect);
    }
    const others = plan.nested.map((nested) => gatherNested(nested, objects, rows, runtime));
    return { plan, objects, rows, nested: others };
  }
  const owners = { ofRow: new Array<number>(rows.length).fill(0), count: 1, add: () => {} };
  return gatherLevel(plan, rows, runtime, owners, isContiguous).gathered;
}
