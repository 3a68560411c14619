/** A value that is kept along a chain of asynchronous calls. */
export interface AsyncContext<T> {
  run<R>(value: T, work: () => R): R;
  getStore(): T | undefined;
  /** Follows no call any more until `run` is called again. */
  disable(): void;
}

interface Platform {
  readonly process?: {
    getBuiltinModule?(name: string): { readonly AsyncLocalStorage?: new () => AsyncContext<unknown> } | undefined;
  };
}

/**
 * The platform's way to follow asynchronous calls; undefined where it has none, as in a browser.
 * Asked for at run time, since an import would tie this room to one platform.
 */
export function asyncContext<T>(): AsyncContext<T> | undefined {
  const Storage = (globalThis as Platform).process?.getBuiltinModule?.("node:async_hooks")?.AsyncLocalStorage;
  return Storage === undefined ? undefined : (new Storage() as AsyncContext<T>);
}
