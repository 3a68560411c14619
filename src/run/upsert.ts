import { GemachError } from "../errors/index.js";
import type { ResolvedEntity } from "../expression/index.js";
import type { Entity } from "../model/index.js";
import { type GivenRow, rowsOfOthers } from "../plan/index.js";
import { from, stateOf } from "../query/index.js";
import { type Context, countRows } from "./context.js";
import type { Steps } from "./steps.js";
import type { Written } from "./write.js";

/**
 * An upsert that was written, and what then must not be there: a row of another handle's with the key of a given one. Such a row is as
 * good as not there, and was not changed, but its key is taken. Undefined where the handle gives no values.
 * @throws GemachError `UNIQUE_VIOLATED`, which undoes it
 */
export function heldUpsert(
  context: Context,
  entity: ResolvedEntity,
  {
    to,
    rows,
    by,
  }: { readonly to: unknown; readonly rows: readonly GivenRow[]; readonly by: readonly string[] | undefined },
): ((written: () => Steps<Written>) => () => Steps<Written>) | undefined {
  if (entity.standing.length === 0) return undefined;
  const all = from(to as Entity<never, never>).lift(...(entity.standing.map(({ name }) => name) as never[]));
  const others = rowsOfOthers(stateOf(all, "upsert"), rows, by, context.values);
  if (others === undefined) return undefined;
  return (written) =>
    function* () {
      const result = yield* written();
      if ((yield* countRows(context, others)) > 0) throw new GemachError("UNIQUE_VIOLATED", { table: entity.table });
      return result;
    };
}
