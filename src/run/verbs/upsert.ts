import { GemachError } from "../../errors/index.js";
import type { ResolvedEntity } from "../../ir/index.js";
import type { Entity } from "../../model/index.js";
import { conditionNames, type GivenRow, rowsOfOthers } from "../../plan/index.js";
import { from, stateOf } from "../../query/index.js";
import type { Steps } from "../sessions/steps.js";
import type { Context } from "./context.js";
import { countRows } from "./reading.js";
import type { Written } from "./write.js";

/**
 * An upsert that was written, and what then must not be there: a row of another handle's with the key of a given one.
 * Such a row is as good as not there, and was not changed, but its key is taken. Undefined where the handle gives no
 * values.
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
  if (entity.standing.length === 0 && entity.through.length === 0) return undefined;
  const all = from(to as Entity<never, never>).lift(...(conditionNames(entity, "all") as never[]));
  const others = rowsOfOthers(stateOf(all, "upsert"), rows, by, context.values);
  if (others === undefined) return undefined;
  const refuse = function* (): Steps<void> {
    const seen = others.visible === undefined ? 0 : yield* countRows(context, others.visible);
    if ((yield* countRows(context, others.all)) > seen)
      throw new GemachError("UNIQUE_VIOLATED", { table: entity.table });
  };
  return (written) =>
    function* () {
      // A row that another row shows would be seen once its key leads there: it is looked for before.
      const isBefore = others.visible !== undefined;
      if (isBefore) yield* refuse();
      const result = yield* written();
      if (!isBefore) yield* refuse();
      return result;
    };
}
