import type { ColumnLayout } from "../../sql/index.js";
import { type ColumnCode, callCode, calling, kindCode, listCode, remarking } from "./code.js";

const own = (code: ColumnCode, type: string): ColumnCode => calling(code, "storedAs", { postgres: type });

const exact: Readonly<Record<string, () => ColumnCode>> = {
  integer: () => kindCode("integer"),
  bigint: () => kindCode("bigint"),
  "double precision": () => kindCode("double"),
  text: () => kindCode("text"),
  boolean: () => kindCode("boolean"),
  date: () => kindCode("date"),
  "time without time zone": () => kindCode("time"),
  "timestamp with time zone": () => kindCode("isoTimestamp"),
  "timestamp(3) with time zone": () => kindCode("timestamp"),
  "timestamp without time zone": () => kindCode("localTimestamp"),
  uuid: () => kindCode("uuid"),
  bytea: () => kindCode("bytes"),
  jsonb: () => callCode("json"),
};

const near: readonly (readonly [RegExp, () => ColumnCode])[] = [
  [/^smallint$/, () => kindCode("integer")],
  [/^real$/, () => kindCode("double")],
  [/^json$/, () => callCode("json")],
  [/^time\(\d\) without time zone$/, () => kindCode("time")],
  [/^timestamp\(\d\) without time zone$/, () => kindCode("localTimestamp")],
  [/^timestamp\(\d\) with time zone$/, () => kindCode("isoTimestamp")],
  [/^oid$/, () => kindCode("bigint")],
];

/** The column of a model for one of PostgreSQL. */
export function postgresColumn({ type, choices }: ColumnLayout): ColumnCode {
  if (choices !== undefined && choices.length > 0) return own(callCode("choice", ...choices), type);
  const known = exact[type];
  if (known !== undefined) return known();
  const [, kind = "", first, second] = /^([a-z ]+?)\((\d+)(?:,(\d+))?\)$/.exec(type) ?? [];
  if (kind === "character varying") return callCode("varchar", Number(first));
  if (kind === "character") return callCode("character", Number(first));
  if (kind === "numeric" && Number(first) <= 65 && Number(second ?? 0) <= 38)
    return callCode("numeric", Number(first), Number(second ?? 0));
  const close = near.find(([pattern]) => pattern.test(type));
  if (close !== undefined) return own(close[1](), type);
  if (
    /^(?:character varying|name|citext|"char"|xid|cid|interval|inet|cidr|macaddr8?|xml|tsvector|tsquery|money)$/.test(
      type,
    )
  )
    return own(kindCode("text"), type);
  if (type === "numeric")
    return remarking(own(kindCode("text"), type), "a decimal of any scale: code has its digits as text");
  if (type.endsWith("[][]")) return listCode(postgresColumn({ type: type.slice(0, -2) } as ColumnLayout));
  if (type.endsWith("[]")) {
    const element = postgresColumn({ type: type.slice(0, -2) } as ColumnLayout);
    const isPlain = !element.text.includes("storedAs") && element.text !== "json()" && element.text !== "bytes";
    if (isPlain) return listCode({ ...element, text: `${element.text}.nullable`, column: element.column.nullable });
  }
  return remarking(own(kindCode("text"), type), `${type}: code has it as PostgreSQL writes it`);
}
