import { decoderFor, factsKey, issuesOf } from "../../columns/index.js";
import { GemachError } from "../../errors/index.js";
import type { RawText } from "../../ir/index.js";
import type { RawStatement } from "../../query/index.js";
import { type Dialect, rawRequest, type StatementOrigin, type Wire } from "../../sql/index.js";
import type { Runtime } from "../rows/gather.js";
import { isLooked } from "../rows/row-constructor.js";
import type { Steps } from "../sessions/steps.js";
import { controlOrigin } from "../watching/origin.js";

const origin: StatementOrigin = { ...controlOrigin("a statement of one's own"), operation: "own" };

/** The request of a statement as it was written. */
function ownRequest(written: RawText, dialect: Dialect) {
  const { text, parameters } = rawRequest(written, dialect);
  return { text, parameters, origin };
}

/** A number that the driver gave for a whole number of 64 bits: it must not have lost digits. */
function checkedWhole(wire: Wire): Wire {
  if (typeof wire === "number" && !Number.isSafeInteger(wire)) throw new GemachError("VALUE_LOSSY", { kind: "bigint" });
  return wire;
}

/** The rows of a statement as it was written, its columns listed in their order. */
export function* rawRows({ text, columns }: RawStatement, { dialect }: Runtime): Steps<Record<string, unknown>[]> {
  const rows = yield ownRequest(text, dialect);
  const decodes = columns.map(([name, { [factsKey]: facts }]) => {
    const [fromWire, toValue] = [dialect.wire.decoder(facts.type), decoderFor(facts.type)];
    return [
      name,
      (wire: Wire): unknown => {
        const refused = (reason: string) => new GemachError("VALUE_REFUSED", { column: name, reason });
        if (wire === null) {
          if (!facts.traits.has("nullable")) throw new GemachError("VALUE_NULL", { column: name });
          return null;
        }
        if (isLooked(facts.type, dialect) && typeof wire !== "string")
          throw new GemachError("VALUE_UNREADABLE", { kind: facts.type.kind, column: name });
        const scalar =
          fromWire === undefined ? wire : fromWire(facts.type.kind === "bigint" ? checkedWhole(wire) : wire);
        const value = toValue === undefined ? scalar : toValue(scalar);
        const [issue] = issuesOf(facts.schema, value);
        if (issue !== undefined) throw refused(issue.message);
        return value;
      },
    ] as const;
  });
  return rows.map((row) => {
    if (row.length !== columns.length)
      throw new GemachError("ROWS_UNLIKE", { named: columns.length, found: row.length });
    return Object.fromEntries(decodes.map(([name, decode], i) => [name, decode(row[i] as Wire)]));
  });
}

/** How many rows a statement as it was written wrote. */
export function* rawCount({ text }: RawStatement, { dialect }: Runtime): Steps<number> {
  const [row] = yield { ...ownRequest(text, dialect), counts: true };
  return Number(row?.[0] ?? 0);
}
