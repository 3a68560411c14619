/** The place of something in the engine's memory. */
// biome-ignore lint/suspicious/noExplicitAny: a number, or a bigint in a build of 64 bits
type Pointer = any;

/** The part of the SQLite project's WebAssembly build that is used: the result of its `sqlite3InitModule()`. */
export interface WasmModule {
  // biome-ignore lint/suspicious/noExplicitAny: the functions of the engine's interface for C
  readonly capi: any;
  // biome-ignore lint/suspicious/noExplicitAny: the package's own helpers for memory
  readonly wasm: any;
}

/** How a function is added, by the names of the packages for Node. */
export interface FunctionSettings {
  readonly deterministic?: boolean;
  /** Whether whole numbers come as bigint: all 64 bits of them, and told apart from floating-point numbers. */
  readonly safeIntegers?: boolean;
}

/** A function of many rows. */
export interface AggregateSettings extends FunctionSettings {
  readonly start: unknown;
  step(total: unknown, ...values: unknown[]): unknown;
  inverse?(total: unknown, ...values: unknown[]): unknown;
  result(total: unknown): unknown;
}

/** Adds functions to the SQL of a handle, over the engine's interface for C, which tells whole numbers from others. */
export interface Functions {
  // biome-ignore lint/suspicious/noExplicitAny: a function of whatever values
  add(name: string, settings: FunctionSettings, work: (...values: any[]) => unknown): void;
  aggregate(name: string, settings: AggregateSettings): void;
  /** The error that one of them threw since it was asked for last. */
  thrown(): unknown;
}

export function functionsOf(handle: { readonly pointer?: unknown }, { capi, wasm }: WasmModule): Functions {
  let error: unknown;
  const valueAt = (value: Pointer, isExact: boolean): unknown => {
    switch (capi.sqlite3_value_type(value)) {
      case capi.SQLITE_INTEGER: {
        const whole = BigInt(capi.sqlite3_value_int64(value));
        return isExact ? whole : Number(whole);
      }
      case capi.SQLITE_FLOAT:
        return capi.sqlite3_value_double(value);
      case capi.SQLITE_NULL:
        return null;
      case capi.SQLITE_BLOB:
        // The package gives null for no bytes.
        return capi.sqlite3_value_to_js(value) ?? new Uint8Array();
      default:
        return capi.sqlite3_value_to_js(value);
    }
  };
  const valuesAt = (count: number, first: Pointer, isExact: boolean): unknown[] =>
    Array.from({ length: count }, (_, i) =>
      valueAt(wasm.peekPtr(wasm.ptr.add(first, wasm.ptr.coerce(i * wasm.ptr.size))), isExact),
    );
  const give = (context: Pointer, value: unknown): void => {
    if (value === null || value === undefined) capi.sqlite3_result_null(context);
    else if (typeof value === "bigint") capi.sqlite3_result_int64(context, value);
    else if (typeof value === "number") capi.sqlite3_result_double(context, value);
    else capi.sqlite3_result_js(context, value);
  };
  /** What is thrown inside of the engine is kept, and the statement ends in an error. */
  const kept = (context: Pointer, work: () => void): void => {
    try {
      work();
    } catch (thrown) {
      error = thrown;
      capi.sqlite3_result_error(context, String(thrown), -1);
    }
  };
  const expectDone = (code: number, name: string): void => {
    if (code !== 0) throw new Error(`The function ${name} cannot be added: ${capi.sqlite3_js_rc_str(code)}`);
  };
  const formOf = ({ deterministic = false }: FunctionSettings): number =>
    capi.SQLITE_UTF8 | (deterministic ? capi.SQLITE_DETERMINISTIC : 0);

  return {
    thrown: () => {
      const found = error;
      error = undefined;
      return found;
    },

    add: (name, settings, work) => {
      const called = (context: Pointer, count: number, first: Pointer): void =>
        kept(context, () => give(context, work(...valuesAt(count, first, settings.safeIntegers === true))));
      const at = wasm.installFunction("v(pip)", called);
      expectDone(capi.sqlite3_create_function_v2(handle.pointer, name, -1, formOf(settings), 0, at, 0, 0, 0), name);
    },

    aggregate: (name, settings) => {
      const { start, step, inverse, result, safeIntegers = false } = settings;
      const first = (): unknown => (typeof start === "function" ? start() : start);
      // By the memory that the engine has for one run of the aggregate.
      const totals = new Map<Pointer, unknown>();
      const moved = (work: AggregateSettings["step"]) => (context: Pointer, count: number, values: Pointer) =>
        kept(context, () => {
          const at = capi.sqlite3_aggregate_context(context, 8);
          const total = totals.has(at) ? totals.get(at) : first();
          totals.set(at, work(total, ...valuesAt(count, values, safeIntegers)));
        });
      const told = (isEnd: boolean) => (context: Pointer) =>
        kept(context, () => {
          const at = capi.sqlite3_aggregate_context(context, 0);
          const total = totals.has(at) ? totals.get(at) : first();
          if (isEnd) totals.delete(at);
          give(context, result(total));
        });
      const install = (form: string, work: unknown): Pointer => wasm.installFunction(form, work);
      const [steps, ends] = [install("v(pip)", moved(step)), install("v(p)", told(true))];
      expectDone(
        inverse === undefined
          ? capi.sqlite3_create_function_v2(handle.pointer, name, -1, formOf(settings), 0, 0, steps, ends, 0)
          : capi.sqlite3_create_window_function(
              ...[handle.pointer, name, -1, formOf(settings), 0, steps, ends],
              ...[install("v(p)", told(false)), install("v(pip)", moved(inverse)), 0],
            ),
        name,
      );
    },
  };
}
