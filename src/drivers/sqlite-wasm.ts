import type { Driver } from "../run/index.js";
import { expectHandle } from "./controls.js";
import { type SqliteHandle, type SqliteStatement, sqlite } from "./sqlite.js";
import { type FunctionSettings, functionsOf, type WasmModule } from "./sqlite-wasm-functions.js";

export { sqliteDialect } from "../sql/index.js";
export type { WasmModule } from "./sqlite-wasm-functions.js";

/** The part of a prepared statement of the SQLite project's WebAssembly build that is used. */
export interface WasmStatement {
  readonly pointer?: unknown;
  readonly columnCount: number;
  // biome-ignore lint/suspicious/noExplicitAny: the package narrows what it takes in its own way
  bind(position: any, value: any): unknown;
  reset(): unknown;
  finalize(): unknown;
}

/** A database handle of the SQLite project's WebAssembly build: `new sqlite3.oo1.DB(file)`, or of one of its stores. */
export interface WasmHandle {
  readonly pointer?: unknown;
  readonly filename: string;
  prepare(sql: string): WasmStatement;
  changes(): number | bigint;
  exec(sql: string): unknown;
}

/** Statements that nobody has any more are ended, where the platform tells. */
const unused =
  typeof FinalizationRegistry === "undefined"
    ? undefined
    : new FinalizationRegistry<WasmStatement>((statement) => statement.finalize());

const closed = (): Error => new Error("The database is not open.");

/** Numbers that the package would store as whole ones of 64 bits, and are not, or would lose their sign. */
const isNoWhole = (value: unknown): value is number =>
  typeof value === "number" && (!Number.isSafeInteger(value) || Object.is(value, -0));

/** The handle as other packages for SQLite have theirs. */
function adapted(handle: WasmHandle, module: WasmModule): SqliteHandle {
  const { capi } = module;
  const functions = functionsOf(handle, module);
  /** What an error of the engine's is, with the number of its result code, as other packages give it. */
  const failed = (): unknown => {
    if (handle.pointer === undefined) return closed();
    const errcode = capi.sqlite3_extended_errcode(handle.pointer);
    return functions.thrown() ?? Object.assign(new Error(capi.sqlite3_errmsg(handle.pointer)), { errcode });
  };
  const guarded = <R>(work: () => R): R => {
    try {
      return work();
    } catch {
      throw failed();
    }
  };
  /** The package gives null for no bytes. */
  const valueAt = (pointer: unknown, i: number): unknown =>
    capi.sqlite3_column_js(pointer, i) ??
    (capi.sqlite3_column_type(pointer, i) === capi.SQLITE_BLOB ? new Uint8Array() : null);
  const prepare = (sql: string): SqliteStatement => {
    const statement = guarded(() => handle.prepare(sql));
    const { columnCount } = statement;
    // The package's own steps tell the console of each error.
    const rowsOf = (parameters: readonly unknown[]): unknown[] => {
      // None once the handle was closed: the engine must not be asked about memory that it has given back.
      const { pointer } = statement;
      if (pointer === undefined) throw closed();
      try {
        for (const [i, value] of parameters.entries())
          if (isNoWhole(value)) capi.sqlite3_bind_double(pointer, i + 1, value);
          else statement.bind(i + 1, value);
        const rows: unknown[] = [];
        for (;;) {
          const code = capi.sqlite3_step(pointer);
          if (code === capi.SQLITE_DONE) return rows;
          if (code !== capi.SQLITE_ROW) throw failed();
          rows.push(Array.from({ length: columnCount }, (_, i) => valueAt(pointer, i)));
        }
      } finally {
        capi.sqlite3_reset(pointer);
      }
    };
    const made: SqliteStatement = {
      reader: columnCount > 0,
      all: (...parameters) => rowsOf(parameters),
      run: (...parameters) => {
        rowsOf(parameters);
        return { changes: handle.changes() };
      },
      raw: () => made,
    };
    unused?.register(made, statement);
    return made;
  };
  return {
    prepare,
    exec: (sql) => guarded(() => handle.exec(sql)),
    function: (name, options: FunctionSettings, work) => functions.add(name, options, work),
    aggregate: functions.aggregate,
    get name() {
      return handle.filename;
    },
    get readonly() {
      return capi.sqlite3_db_readonly(handle.pointer, "main") === 1;
    },
    get inTransaction() {
      return capi.sqlite3_get_autocommit(handle.pointer) === 0;
    },
  };
}

/**
 * The driver for SQLite in a browser: a handle of the SQLite project's own WebAssembly build
 * (`@sqlite.org/sqlite-wasm`), which the caller opened and will close, and the module that it is of. Turns foreign keys
 * on. Everything else is as with `gemach/sqlite`.
 * @throws GemachError `HANDLE_EXPECTED`
 */
export function sqliteWasm(handle: WasmHandle, module: WasmModule): Driver {
  expectHandle("sqliteWasm()", handle, ["prepare", "exec", "changes"], "a handle of sqlite3.oo1");
  return sqlite(adapted(handle, module));
}
