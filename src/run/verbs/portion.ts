import type { Scalar } from "../../columns/index.js";
import { type ParameterValues, typeOf } from "../../ir/index.js";
import { cursorOf } from "../../plan/index.js";
import type { CompiledStatement, Wire } from "../../sql/index.js";
import { fetchGathered } from "../rows/fetch.js";
import type { Runtime } from "../rows/gather.js";
import type { Steps } from "../sessions/steps.js";

/** Some rows of a query, and the places from which to go on. */
export interface Portion<Row> {
  readonly rows: Row[];
  /** The place after which the next rows come; null where there are none. */
  readonly next: string | null;
  /** The place before which the rows before these come; null where there are none. */
  readonly previous: string | null;
}

/**
 * Fetches a portion. The statement asks for one row more than wanted, which tells whether there are more on
 * the side that it goes to; on the side that a cursor came from there are.
 */
export function* fetchPortion(
  statement: CompiledStatement,
  size: number,
  side: "after" | "before" | undefined,
  runtime: Runtime,
  given: ParameterValues | undefined,
): Steps<Portion<unknown>> {
  const { places } = statement.plan;
  const { objects, rows } = yield* fetchGathered(statement, runtime, [], given);
  const isMore = objects.length > size;
  const first = side === "before" && isMore ? 1 : 0;
  const wires = rows.slice(first, first + size);
  const cursorAt = (wire: readonly Wire[] | undefined): string | null => {
    if (wire === undefined || places === undefined) return null;
    const values = places.slots.map((slot, i): Scalar => {
      const part = wire[slot] as Wire;
      const decode = runtime.dialect.wire.decoder(typeOf((places.order[i] as (typeof places.order)[number]).node).type);
      return part === null || decode === undefined ? (part as Scalar) : decode(part);
    });
    return cursorOf(places.order, values);
  };
  const [hasNext, hasPrevious] = side === "before" ? [true, isMore] : [isMore, side === "after"];
  return {
    rows: objects.slice(first, first + size),
    next: hasNext ? cursorAt(wires.at(-1)) : null,
    previous: hasPrevious ? cursorAt(wires[0]) : null,
  };
}
