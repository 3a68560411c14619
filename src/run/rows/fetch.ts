import type { ParameterValues } from "../../ir/index.js";
import type { FollowUp, Mount, StatementPlan } from "../../plan/index.js";
import { type CompiledStatement, type Dialect, encodeParameter, type Keys, type Wire } from "../../sql/index.js";
import type { Request, WireRows } from "../sessions/driver.js";
import type { Steps } from "../sessions/steps.js";
import { type Gathered, gather, ownerAt, type Runtime, restore } from "./gather.js";
import { fetchLevels } from "./levels.js";
import { ownerKey, ownerKeys } from "./owner-keys.js";
import { rowMissing } from "./row-missing.js";

/** A compiled statement with its values. */
export const requestOf = (
  statement: CompiledStatement,
  { dialect }: Runtime,
  keys: Keys,
  given: ParameterValues | undefined,
): Request => {
  const { text, parameters } = statement.sized?.(keys.length) ?? statement;
  return {
    text,
    origin: statement.origin,
    once: statement.plan.isPlannedAnew,
    unpacked: statement.packed?.otherwise,
    parameters: parameters.map((parameter) => encodeParameter(dialect, parameter, keys, given)),
  };
};

/** The objects that wait for related rows, by key; each key once, in the order of first appearance. */
interface Waiting {
  readonly keys: (readonly Wire[])[];
  readonly owners: { readonly owner: Record<string, unknown>; readonly key: Wire; readonly row: readonly Wire[] }[];
}

function waitingFor(followUp: FollowUp, gathered: Gathered, { byPosition }: StatementPlan, { wire }: Dialect): Waiting {
  const waiting: Waiting = { keys: [], owners: [] };
  const known = new Set<Wire>();
  for (let i = 0; i < gathered.objects.length; i++) {
    const owner = ownerAt(gathered.objects[i], followUp as Mount);
    if (owner === undefined) continue;
    const row = gathered.rows[i] as readonly Wire[];
    const key = ownerKey(row, followUp.keys, wire, byPosition);
    if (key === null) continue;
    waiting.owners.push({ owner, key, row });
    if (known.has(key)) continue;
    known.add(key);
    waiting.keys.push(followUp.keys.map((slot) => row[slot] as Wire));
  }
  return waiting;
}

/** Gives each owner its own list, also where several owners have the same key. */
function handOutMany(
  { owners }: Waiting,
  { property }: FollowUp,
  ownerOf: readonly Wire[],
  { objects }: Gathered,
): void {
  const lists = new Map<Wire, unknown[]>();
  for (let i = 0; i < objects.length; i++) {
    const key = ownerOf[i] as Wire;
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
  { property, required, keys }: FollowUp,
  ownerOf: readonly Wire[],
  { objects }: Gathered,
): void {
  const byKey = new Map<Wire, unknown>();
  for (let i = 0; i < objects.length; i++) byKey.set(ownerOf[i] as Wire, objects[i]);
  for (const { owner, key, row } of owners) {
    const found = byKey.get(key);
    if (found === undefined && required !== undefined) throw rowMissing(required, row, keys);
    if (found !== undefined) owner[property] = found;
  }
}

/** Fetches a follow-up of the gathered rows, and puts its rows where they belong. */
function* fetchFollowUp(
  compiled: CompiledStatement,
  followUp: FollowUp,
  waiting: Waiting,
  runtime: Runtime,
  given: ParameterValues | undefined,
): Steps<void> {
  const related = yield* fetchGathered(compiled, runtime, waiting.keys, given);
  const handOut = followUp.cardinality === "many" ? handOutMany : handOutOne;
  handOut(waiting, followUp, ownerKeys(compiled.plan, related.rows, waiting.keys, runtime.dialect), related);
}

/** The work for each follow-up of gathered rows, and of those beside them; none where nothing waits. */
function branchesOf(
  statement: Pick<CompiledStatement, "followUps">,
  gathered: Gathered,
  runtime: Runtime,
  given: ParameterValues | undefined,
): readonly Steps<void>[] {
  const branches: Steps<void>[] = [];
  for (const followUp of gathered.plan.followUps) {
    const compiled = statement.followUps.get(followUp) as CompiledStatement;
    if (followUp.levels !== undefined) {
      const fetchNext = (keys: Keys) => fetchGathered(compiled, runtime, keys, given);
      branches.push(fetchLevels(compiled, followUp, gathered, runtime, fetchNext));
      continue;
    }
    const waiting = waitingFor(followUp, gathered, compiled.plan, runtime.dialect);
    if (waiting.keys.length > 0) branches.push(fetchFollowUp(compiled, followUp, waiting, runtime, given));
  }
  for (const others of gathered.nested) branches.push(...branchesOf(statement, others, runtime, given));
  return branches;
}

/**
 * Fetches the follow-ups of the gathered rows, and puts their rows where they belong; nothing is sent where nothing
 * waits.
 */
export function* fetchFollowUps(
  statement: Pick<CompiledStatement, "followUps">,
  gathered: Gathered,
  runtime: Runtime,
  given: ParameterValues | undefined,
): Steps<void> {
  const branches = branchesOf(statement, gathered, runtime, given);
  const [only] = branches;
  if (branches.length > 1) yield { branches };
  else if (only !== undefined) yield* only;
}

/** Turns rows from the last to the first; what they reach stays in its order. */
const reversed = (gathered: Gathered): Gathered => ({
  ...gathered,
  objects: gathered.objects.toReversed(),
  rows: gathered.rows.toReversed(),
});

/** How many objects were made of the rows of one statement. */
const countOf = ({ objects, nested }: Gathered): number =>
  nested.reduce((sum, one) => sum + countOf(one), objects.length);

/** Runs a statement and its follow-ups; its rows stay beside their objects. */
export function* fetchGathered(
  statement: CompiledStatement,
  runtime: Runtime,
  keys: Keys,
  given: ParameterValues | undefined,
  check?: (found: number) => Steps<void>,
): Steps<Gathered> {
  const request = requestOf(statement, runtime, keys, given);
  const sent = unpacked(statement, yield request, runtime);
  const { plan } = statement;
  const inOrder = gather(plan.rows, sent, runtime, plan.ownerSteps.length === 0);
  request.watcher?.made(countOf(inOrder), inOrder.objects.length);
  const gathered = plan.isReversed ? reversed(inOrder) : inOrder;
  if (check !== undefined) yield* check(gathered.objects.length);
  yield* fetchFollowUps(statement, gathered, runtime, given);
  return gathered;
}

/** Whether a statement's rows are complete as they come. */
export const isAlone = ({ followUps, plan }: CompiledStatement): boolean =>
  followUps.size === 0 && plan.rows.joined.length === 0 && !plan.isReversed;

/** The objects of a statement whose rows are complete as they come. */
export const objectsOf = (statement: CompiledStatement, rows: WireRows, runtime: Runtime): readonly unknown[] =>
  gather(statement.plan.rows, unpacked(statement, rows, runtime), runtime).objects;

/** Rows as they would have come one by one, of those that came as JSON. */
function unpacked({ packed, plan }: CompiledStatement, rows: WireRows, { dialect }: Runtime): WireRows {
  if (packed !== undefined) restore(packed.types, plan.rows, rows as Wire[][], dialect);
  return rows;
}

/**
 * Runs a statement and its follow-ups.
 * @param given what a template is run with.
 * @param check is asked with the number of rows found before anything else is fetched.
 */
export function* fetch(
  statement: CompiledStatement,
  runtime: Runtime,
  given: ParameterValues | undefined,
  check?: (found: number) => Steps<void>,
): Steps<readonly unknown[]> {
  return (yield* fetchGathered(statement, runtime, [], given, check)).objects;
}
