import { GemachError } from "../errors/index.js";
import { allOf, type QueryState, type ResolvedColumn, type ResolvedEntity } from "../expression/index.js";
import { isPlainQuery, rowAt, withProjection } from "../query/index.js";
import {
  type ConflictSet,
  changesOf,
  deleteStatement,
  encodeParameter,
  type GivenRow,
  insertFromStatement,
  insertStatements,
  type Parameter,
  updateStatement,
  type WriteStatement,
} from "../sql/index.js";
import type { Request, WireRows } from "./driver.js";
import type { Runtime } from "./fetch.js";
import { gather } from "./gather.js";
import type { Steps } from "./steps.js";

/** What a write is to give back, as the user says it. */
export type ReturningWish = true | ((row: unknown) => unknown) | undefined;

/** A write's result: how many rows, or what was to be returned of each. */
export type Written = number | unknown[];

/** What is to be returned, as a query of the row. */
function returningOf(entity: ResolvedEntity, wish: ReturningWish): QueryState | undefined {
  if (wish === undefined) return undefined;
  const query = allOf({ entity });
  return wish === true ? query : withProjection(query, wish);
}

/** Inserts rows; `conflict` says what becomes of those that are there already. */
export function insertSteps(
  entity: ResolvedEntity,
  rows: readonly GivenRow[],
  wish: ReturningWish,
  runtime: Runtime,
  conflict?: { readonly by: readonly string[] | undefined; readonly set: ConflictSet },
): { readonly steps: () => Steps<Written>; readonly statements: number } {
  const returning = returningOf(entity, wish);
  const found = conflict === undefined ? undefined : { by: columnsBy(entity, conflict.by), set: conflict.set };
  const { requests, rows: plan } = insertStatements(entity, rows, runtime.dialect, { returning, conflict: found });
  const steps = function* (): Steps<Written> {
    const wires: WireRows[number][] = [];
    for (const request of requests) wires.push(...(yield request));
    if (wish === undefined) return rows.length;
    // A statement besides those that insert gives no row that is wanted.
    return plan === undefined ? [] : [...gather(plan, wires.slice(0, rows.length), runtime.constructorOf).objects];
  };
  return { steps, statements: requests.length };
}

function columnsBy(entity: ResolvedEntity, by: readonly string[] | undefined): readonly ResolvedColumn[] {
  if (by === undefined) return entity.key;
  return by.map((name) => {
    const column = entity.columns.get(name);
    if (column === undefined)
      throw new GemachError("NAME_UNKNOWN", { entity: entity.name, name, known: [...entity.columns.keys()] });
    return column;
  });
}

/** Inserts the rows of a query. */
export function insertFromSteps(entity: ResolvedEntity, query: QueryState, runtime: Runtime): () => Steps<number> {
  const { text, parameters } = insertFromStatement(entity, query, runtime.dialect);
  return counted({
    text,
    parameters: parameters.map((part) => encodeParameter(runtime.dialect, part, [], query.given?.values)),
  });
}

/** Refuses what is no query of an entity itself, and a whole table that nobody spoke of. */
function checkedTarget(query: QueryState, call: string, all: boolean): void {
  const entity = query.source.entity.name;
  if (!isPlainQuery(query)) throw new GemachError("WRITE_UNFIT", { call, entity });
  const isWhole = query.where.length === 0 && query.limit === undefined && query.offset === undefined;
  if (isWhole && query.cursor === undefined && !all) throw new GemachError("NOT_NARROWED", { call, entity });
}

/** Changes the rows of a query. */
export function updateSteps(
  query: QueryState,
  change: unknown,
  wish: ReturningWish,
  all: boolean,
  runtime: Runtime,
): () => Steps<Written> {
  checkedTarget(query, "update", all);
  const { source } = query;
  const given = typeof change === "function" ? change(rowAt(source)) : change;
  const changes = changesOf(source.entity, given);
  if (changes.length === 0) throw new GemachError("CHANGE_EMPTY", { entity: source.entity.name });
  return writeSteps(updateStatement(query, changes, returningOf(source.entity, wish), runtime.dialect), runtime, query);
}

/** Deletes the rows of a query. */
export function deleteSteps(
  query: QueryState,
  wish: ReturningWish,
  all: boolean,
  runtime: Runtime,
): () => Steps<Written> {
  checkedTarget(query, "delete", all);
  return writeSteps(deleteStatement(query, returningOf(query.source.entity, wish), runtime.dialect), runtime, query);
}

function writeSteps(
  { text, parameters, rows }: WriteStatement,
  runtime: Runtime,
  { given }: QueryState,
): () => Steps<Written> {
  const encode = (part: Parameter) => encodeParameter(runtime.dialect, part, [], given?.values);
  const request = { text, parameters: parameters.map(encode) };
  if (rows === undefined) return counted(request);
  return function* (): Steps<Written> {
    return [...gather(rows, yield request, runtime.constructorOf).objects];
  };
}

const counted = (request: Request): (() => Steps<number>) =>
  function* (): Steps<number> {
    const [row] = yield { ...request, counts: true };
    return Number(row?.[0] ?? 0);
  };
