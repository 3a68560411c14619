import type { Source } from "./resolved.js";

/** The sources whose rows the callbacks that run right now were given. */
const active = new Set<Source>();

/** Whether a callback that runs right now was given a row of a source. */
export const isActive = (source: Source): boolean => active.has(source);

/** Runs a callback that was given rows of sources. */
export function withActive<R>(sources: readonly Source[], callback: () => R): R {
  const added = sources.filter((source) => !active.has(source));
  for (const source of added) active.add(source);
  try {
    return callback();
  } finally {
    for (const source of added) active.delete(source);
  }
}
