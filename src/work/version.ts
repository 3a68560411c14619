import { derived } from "../columns/index.js";
import type { ResolvedColumn, ResolvedEntity } from "../ir/index.js";

const versions = derived((entity: ResolvedEntity) => [...entity.columns.values()].filter(({ isVersion }) => isVersion));

/** The column that tells whether a row was changed since it was read. */
export const versionOf = (entity: ResolvedEntity): ResolvedColumn | undefined => versions(entity)[0];

/**
 * The version of a row that is written: one more, or now; `was`: the one before, if any, an instant in milliseconds.
 */
export function nextVersion({ kind }: ResolvedColumn, original: unknown): unknown {
  if (kind === "timestamp")
    return new Date(Math.max(Date.now(), original === undefined ? 0 : (original as number) + 1));
  if (original === undefined) return kind === "bigint" ? 1n : 1;
  return typeof original === "bigint" ? original + 1n : (original as number) + 1;
}
