import { decoderFor, issuesOf } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import type { RawStatement } from "../query/index.js";
import { rawRequest, type Wire } from "../sql/index.js";
import type { Runtime } from "./fetch.js";
import type { Steps } from "./steps.js";

/** A number that the driver gave for a whole number of 64 bits: it must not have lost digits. */
function checkedWhole(wire: Wire): Wire {
  if (typeof wire === "number" && !Number.isSafeInteger(wire)) throw new GemachError("VALUE_LOSSY", { kind: "bigint" });
  return wire;
}

/** The rows of a statement as it was written, its columns told in their order. */
export function* rawRows({ text, columns }: RawStatement, { dialect }: Runtime): Steps<Record<string, unknown>[]> {
  const rows = yield rawRequest(text, dialect);
  const decodes = columns.map(([name, { facts }]) => {
    const [fromWire, toValue] = [dialect.decoder(facts.type), decoderFor(facts.type)];
    return [
      name,
      (wire: Wire): unknown => {
        const refused = (reason: string) => new GemachError("VALUE_REFUSED", { column: name, reason });
        if (wire === null) {
          if (!facts.traits.has("nullable")) throw refused("it is missing, and the column was not told to be nullable");
          return null;
        }
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
      throw new GemachError("ROWS_UNLIKE", { told: columns.length, found: row.length });
    return Object.fromEntries(decodes.map(([name, decode], i) => [name, decode(row[i] as Wire)]));
  });
}

/** How many rows a statement as it was written wrote. */
export function* rawCount({ text }: RawStatement, { dialect }: Runtime): Steps<number> {
  const [row] = yield { ...rawRequest(text, dialect), counts: true };
  return Number(row?.[0] ?? 0);
}
