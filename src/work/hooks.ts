import { GemachError } from "../errors/index.js";
import { standingHole } from "../ir/index.js";
import { type LiveObject, type LiveState, liveStateOf, noteAddedColumn } from "../live/index.js";
import { changedIn } from "./changes.js";
import { defineField } from "./live-kind.js";
import type { Unit } from "./unit.js";

/** A row that a unit of work writes, as hooks see it. */
export interface RowWrite {
  /** The name of the entity. */
  readonly entity: string;
  readonly kind: "insert" | "update" | "delete";
  /** The columns as they were read; null for a new row. */
  readonly old: Readonly<Record<string, unknown>> | null;
  /** The columns as they are to be; null for a row that is deleted. */
  readonly fresh: Readonly<Record<string, unknown>> | null;
  /** The names of the columns that an update changes; of others all. */
  readonly columns: readonly string[];
  /** Whether the entity has a column of a name. */
  has(column: string): boolean;
  /** A value that the handle was given: `db.as({ user: 5 })`. */
  given(name: string): unknown;
  /** Has something done once the whole transaction is committed. */
  afterCommit(work: () => unknown): void;
}

/** Further values of a row's columns. */
// biome-ignore lint/suspicious/noConfusingVoidType: a function without a return fits too
type Further = Readonly<Record<string, unknown>> | undefined | void;

/** Functions that are called for each row that a unit of work writes. */
export interface Hooks {
  /**
   * Before anything is sent; gives columns of the row further values, such as who changed it. An error ends the unit of
   * work. A promise is awaited, one row after the other.
   */
  beforeWrite?(write: RowWrite): Further | Promise<Further>;
  /** Once the rows are written, their keys included, and before the commit. A promise is awaited. */
  afterWrite?(write: RowWrite): void | Promise<void>;
}

/** The columns that an entity was read with. */
const oldOf = ({ kind: { entity, snapshots }, original }: LiveState): Record<string, unknown> =>
  Object.fromEntries(
    [...entity.members.keys()].flatMap((name) =>
      name in original ? [[name, snapshots.get(name)?.back(original[name]) ?? original[name]]] : [],
    ),
  );

const freshOf = (live: LiveObject, { kind: { entity } }: LiveState): Record<string, unknown> =>
  Object.fromEntries(
    [...entity.members.keys()].flatMap((name) => (Object.hasOwn(live, name) ? [[name, live[name]]] : [])),
  );

/**
 * Calls the hooks before a unit of work is written; gives what calls those that come after.
 * @throws GemachError `NAME_UNKNOWN`, and what a hook throws
 */
export async function callHooks(
  unit: Unit,
  { beforeWrite, afterWrite }: Hooks,
  afterCommit: RowWrite["afterCommit"],
): Promise<() => Promise<void>> {
  const seen: (() => RowWrite)[] = [];
  const call = async (live: LiveObject, kind: RowWrite["kind"], names?: readonly string[]): Promise<void> => {
    const state = liveStateOf(live);
    const { entity } = state.kind;
    const old = kind === "insert" ? null : oldOf(state);
    const write = (): RowWrite => {
      const fresh = kind === "delete" ? null : freshOf(live, state);
      return {
        entity: entity.name,
        kind,
        old,
        fresh,
        columns: names ?? Object.keys(fresh ?? old ?? {}),
        has: (column) => entity.members.has(column),
        given: (name) => unit.context.values?.get(standingHole(name)),
        afterCommit,
      };
    };
    const given = beforeWrite?.(write());
    const others = given instanceof Promise ? await given : given;
    for (const [name, value] of Object.entries(others ?? {})) {
      if (!entity.members.has(name))
        throw new GemachError("NAME_UNKNOWN", { entity: entity.name, name, known: [...entity.members.keys()] });
      defineField(live, name, value);
      noteAddedColumn(state, name);
    }
    seen.push(write);
  };
  for (const live of [...unit.added]) await call(live, "insert");
  for (const { live, names } of changedIn(unit)) await call(live, "update", names);
  for (const live of [...unit.removed]) await call(live, "delete");
  return async () => {
    for (const write of seen) {
      const done = afterWrite?.(write());
      if (done instanceof Promise) await done;
    }
  };
}
