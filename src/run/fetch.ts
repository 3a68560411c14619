import type { Given } from "../expression/index.js";
import type { FedStatement, Mount } from "../plan/index.js";
import { type CompiledStatement, type Dialect, encodeParameter, type Keys, type Wire } from "../sql/index.js";
import type { Request, WireRows } from "./driver.js";
import { type ConstructorOf, type Gathered, gather, keyOf, ownerAt, restore } from "./gather.js";
import { feedLevels } from "./levels.js";
import { rowMissing } from "./row-missing.js";
import type { Steps } from "./steps.js";

/** What it takes to run a compiled statement. */
export interface Runtime {
  readonly dialect: Dialect;
  readonly constructorOf: ConstructorOf;
}

/** A compiled statement with its values. */
export const requestOf = (
  statement: CompiledStatement,
  { dialect }: Runtime,
  keys: Keys,
  given: Given | undefined,
): Request => ({
  text: statement.text,
  ...(statement.packed === undefined ? {} : { unpacked: statement.packed.otherwise }),
  parameters: statement.parameters.map((parameter) => encodeParameter(dialect, parameter, keys, given)),
});

/** The objects that wait for related rows, by key; each key once, in the order of first appearance. */
interface Waiting {
  readonly keys: (readonly Wire[])[];
  readonly owners: { readonly owner: Record<string, unknown>; readonly key: Wire; readonly row: readonly Wire[] }[];
}

function waitingFor(feed: FedStatement, gathered: Gathered): Waiting {
  const waiting: Waiting = { keys: [], owners: [] };
  const known = new Set<Wire>();
  for (let i = 0; i < gathered.objects.length; i++) {
    const owner = ownerAt(gathered.objects[i], feed as Mount);
    if (owner === undefined) continue;
    const row = gathered.rows[i] as readonly Wire[];
    const key = keyOf(row, feed.keys);
    if (key === null) continue;
    waiting.owners.push({ owner, key, row });
    if (known.has(key)) continue;
    known.add(key);
    waiting.keys.push(feed.keys.map((slot) => row[slot] as Wire));
  }
  return waiting;
}

/** Gives each owner its own list, also where several owners have the same key. */
function handOutMany(
  { owners }: Waiting,
  { property }: FedStatement,
  slots: readonly number[],
  { objects, rows }: Gathered,
): void {
  const lists = new Map<Wire, unknown[]>();
  for (let i = 0; i < objects.length; i++) {
    const key = keyOf(rows[i] as readonly Wire[], slots);
    const list = lists.get(key);
    if (list === undefined) lists.set(key, [objects[i]]);
    else list.push(objects[i]);
  }
  const given = new Set<Wire>();
  for (const { owner, key } of owners) {
    const list = lists.get(key);
    if (list === undefined) continue;
    owner[property] = given.has(key) ? [...list] : list;
    given.add(key);
  }
}

function handOutOne(
  { owners }: Waiting,
  { property, insisted, keys }: FedStatement,
  slots: readonly number[],
  { objects, rows }: Gathered,
): void {
  const byKey = new Map<Wire, unknown>();
  for (let i = 0; i < objects.length; i++) byKey.set(keyOf(rows[i] as readonly Wire[], slots), objects[i]);
  for (const { owner, key, row } of owners) {
    const found = byKey.get(key);
    if (found === undefined && insisted !== undefined) throw rowMissing(insisted, row, keys);
    if (found !== undefined) owner[property] = found;
  }
}

/** Fetches what the gathered rows feed, and puts it where it belongs; nothing is sent where nothing waits. */
export function* feed(
  statement: Pick<CompiledStatement, "fed">,
  gathered: Gathered,
  runtime: Runtime,
  given: Given | undefined,
): Steps<void> {
  for (const fed of gathered.plan.fed) {
    const compiled = statement.fed.get(fed) as CompiledStatement;
    if (fed.levels !== undefined) {
      yield* feedLevels(compiled, fed, gathered, (keys) => fetchGathered(compiled, runtime, keys, given));
      continue;
    }
    const waiting = waitingFor(fed, gathered);
    if (waiting.keys.length === 0) continue;
    const related = yield* fetchGathered(compiled, runtime, waiting.keys, given);
    const handOut = fed.cardinality === "many" ? handOutMany : handOutOne;
    handOut(waiting, fed, compiled.plan.fedSlots, related);
  }
  for (const further of gathered.further) yield* feed(statement, further, runtime, given);
}

/** Runs a statement and all that its rows feed; its rows stay beside their objects. */
export function* fetchGathered(
  statement: CompiledStatement,
  runtime: Runtime,
  keys: Keys,
  given: Given | undefined,
  check?: (found: number) => Steps<void>,
): Steps<Gathered> {
  const sent = unpacked(statement, yield requestOf(statement, runtime, keys, given), runtime);
  const rows = statement.plan.isReversed ? [...sent].reverse() : sent;
  const gathered = gather(statement.plan.rows, rows, runtime.constructorOf);
  if (check !== undefined) yield* check(gathered.objects.length);
  yield* feed(statement, gathered, runtime, given);
  return gathered;
}

/** Whether a statement's rows are complete as they come. */
export const isAlone = ({ fed, plan }: CompiledStatement): boolean =>
  fed.size === 0 && plan.rows.joined.length === 0 && !plan.isReversed;

/** The objects of a statement whose rows are complete as they come. */
export const objectsOf = (statement: CompiledStatement, rows: WireRows, runtime: Runtime): readonly unknown[] =>
  gather(statement.plan.rows, unpacked(statement, rows, runtime), runtime.constructorOf).objects;

/** Rows as they would have come one by one, of those that came as JSON. */
function unpacked({ packed, plan }: CompiledStatement, rows: WireRows, { dialect }: Runtime): WireRows {
  if (packed !== undefined) restore(packed.types, plan.rows, rows as Wire[][], dialect);
  return rows;
}

/**
 * Runs a statement and all that its rows feed.
 * @param given what a template is run with.
 * @param check is asked with the number of rows found before anything else is fetched.
 */
export function* fetch(
  statement: CompiledStatement,
  runtime: Runtime,
  given: Given | undefined,
  check?: (found: number) => Steps<void>,
): Steps<readonly unknown[]> {
  return (yield* fetchGathered(statement, runtime, [], given, check)).objects;
}
