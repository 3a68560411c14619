import { typeWord } from "../../columns/index.js";
import { GemachError } from "../../errors/index.js";
import type { Dialect } from "../../sql/index.js";
import type { Sender } from "./sender.js";

/** The facts of a database or transaction for the rooms that send statements of their own, or watch those of others. */
export interface Connection {
  readonly sender: Sender;
  readonly dialect: Dialect;
  readonly clock: () => number;
}

/** Where a handle keeps its connection: a WeakMap that each transaction enters took half of its time (SQLite). */
export const connectionKey: unique symbol = Symbol("gemach.connection");

/**
 * The connection of a database, for the rooms that send statements of their own.
 * @throws GemachError `DATABASE_EXPECTED`
 * @internal
 */
export function connectionOf(db: object, call: string): Connection {
  const connection =
    typeof db === "object" && db !== null
      ? (db as { readonly [connectionKey]?: Connection })[connectionKey]
      : undefined;
  if (connection === undefined) throw new GemachError("DATABASE_EXPECTED", { call, got: typeWord(db) });
  return connection;
}
