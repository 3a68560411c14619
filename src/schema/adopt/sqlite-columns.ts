import type { ColumnLayout } from "../../sql/index.js";
import { affinityOf } from "../compare/forms.js";
import { type ColumnCode, calling, kindCode, remarking } from "./code.js";
import type { ColumnEvidence } from "./evidence.js";

const only = ({ types }: ColumnEvidence, ...allowed: readonly string[]): boolean =>
  [...types].every((type) => allowed.includes(type));

/** The kind that a declared name speaks of, and the values bear out. */
function declared(type: string, evidence: ColumnEvidence): ColumnCode | undefined {
  const name = type.toLowerCase();
  const { least = 0n, greatest = 0n } = evidence;
  if (/^bool/.test(name) && only(evidence, "integer") && least >= 0n && greatest <= 1n) return kindCode("boolean");
  if (name === "date" && only(evidence, "text") && evidence.areDays) return kindCode("date");
  if (/^(?:datetime|timestamp)/.test(name) && only(evidence, "text") && evidence.areInstants)
    return kindCode("localTimestamp");
  return undefined;
}

/** The column of a model for one of SQLite: by its declared type, as far as its values are of it. */
export function sqliteColumn({ type }: ColumnLayout, evidence: ColumnEvidence): ColumnCode {
  const affinity = affinityOf(type);
  const own = (code: ColumnCode): ColumnCode =>
    affinity === affinityOf(plainType(code))
      ? code
      : calling(code, "storedAs", { sqlite: type === "" ? "blob" : type });
  const named = declared(type, evidence);
  if (named !== undefined) return own(named);
  const isSmall = (evidence.least ?? 0n) >= -(2n ** 31n) && (evidence.greatest ?? 0n) < 2n ** 31n;
  if (affinity === "text" && only(evidence, "text")) return kindCode("text");
  if (affinity === "integer" && only(evidence, "integer"))
    return kindCode(isSmall && !/big/i.test(type) ? "integer" : "bigint");
  if ((affinity === "real" || affinity === "numeric") && only(evidence, "integer", "real"))
    return own(kindCode("double"));
  if (affinity === "blob" && only(evidence, "blob")) return own(kindCode("bytes"));
  if (only(evidence, "integer") && evidence.types.size > 0) return own(kindCode(isSmall ? "integer" : "bigint"));
  if (only(evidence, "integer", "real") && evidence.types.size > 0) return own(kindCode("double"));
  if (only(evidence, "text")) return own(kindCode("text"));
  if (only(evidence, "blob")) return own(kindCode("bytes"));
  const mixed = [...evidence.types].sort().join(", ");
  return remarking(
    calling(kindCode("text"), "storedAs", { sqlite: { type: type === "" ? "blob" : type, read: "cast(? as text)" } }),
    `its rows hold values of several types (${mixed}): code has them as text`,
  );
}

const plainTypes: Readonly<Record<string, string>> = {
  integer: "integer",
  bigint: "integer",
  boolean: "integer",
  double: "real",
  bytes: "blob",
};
const plainType = ({ text }: ColumnCode): string => plainTypes[text] ?? "text";
