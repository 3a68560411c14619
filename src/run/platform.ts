/** What every platform that the library runs on has, and the language's own library does not describe. */
interface Platform {
  readonly performance: { now(): number };
}

/** Milliseconds since some moment. */
export const now = (): number => (globalThis as unknown as Platform).performance.now();

/** Where a module was loaded from; empty where the platform does not say. */
export const addressOf = (meta: ImportMeta): string => (meta as { readonly url?: string }).url ?? "";
