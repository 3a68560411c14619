import type { Source } from "../ir/index.js";

/** The sources whose rows the callbacks that run right now were given, the outer ones first. */
const active: Source[] = [];

/** Whether a callback that runs right now was given a row of a source. */
export const isActive = (source: Source): boolean => active.includes(source);

/** Runs a callback that was given rows of sources. */
export function withActive<R>(sources: readonly Source[], callback: () => R): R {
  for (const source of sources) active.push(source);
  try {
    return callback();
  } finally {
    for (const _ of sources) active.pop();
  }
}
