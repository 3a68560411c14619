/** What every platform that the library runs on has, and the language's own library does not describe. */
interface Platform {
  readonly performance: { now(): number };
}

/** Milliseconds since some moment. */
export const now = (): number => (globalThis as unknown as Platform).performance.now();
