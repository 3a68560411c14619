import * as columns from "../../columns/index.js";
import { literalText } from "../../written/index.js";

/** A column of a model in the making: its code, and what that gives. */
export interface ColumnCode {
  readonly text: string;
  readonly column: columns.AnyColumn;
  /** The names that the code imports. */
  readonly imports: readonly string[];
  /** Remarks on it. */
  readonly remarks: readonly string[];
}

/** Columns by the names that code has for them. */
const plain = {
  identity: columns.identity,
  integer: columns.integer,
  bigint: columns.bigint,
  double: columns.double,
  text: columns.text,
  boolean: columns.boolean,
  date: columns.date,
  time: columns.time,
  timestamp: columns.timestamp,
  isoTimestamp: columns.isoTimestamp,
  localTimestamp: columns.localTimestamp,
  uuid: columns.uuid,
  bytes: columns.bytes,
} as const;

/** A column of a kind that takes nothing. */
export const kindCode = (name: keyof typeof plain): ColumnCode => ({
  ...{ text: name, column: plain[name], imports: [name], remarks: [] },
});

const calls = {
  varchar: columns.varchar,
  character: columns.character,
  numeric: columns.numeric,
  json: columns.json,
  choice: columns.choice,
} as const;

/** A column of a kind that takes arguments. */
export const callCode = (name: keyof typeof calls, ...args: readonly unknown[]): ColumnCode => ({
  text: `${name}(${args.map(literalText).join(", ")})`,
  column: (calls[name] as (...given: readonly unknown[]) => columns.AnyColumn)(...args),
  imports: [name],
  remarks: [],
});

/** A list of what another column holds. */
export const listCode = ({ text, column, imports, remarks }: ColumnCode): ColumnCode => ({
  ...{ text: `list(${text})`, column: columns.list(column), imports: ["list", ...imports], remarks },
});

/** Code of a column with a further property: `nullable`, `key`. */
export const having = (
  code: ColumnCode,
  name: "nullable" | "key" | "unique" | "defaulted" | "computed",
): ColumnCode => ({
  ...code,
  text: `${code.text}.${name}`,
  column: code.column[name],
});

/** Code of a column with a further call: `named("…")`. */
export const calling = (
  code: ColumnCode,
  name: "named" | "storedAs" | "collated" | "defaultsTo",
  arg: unknown,
): ColumnCode => ({
  ...code,
  text: `${code.text}.${name}(${literalText(arg)})`,
  column: (code.column[name] as (given: unknown) => columns.AnyColumn)(arg),
});

/** Code of a column with a remark. */
export const remarking = (code: ColumnCode, ...remarks: readonly string[]): ColumnCode => ({
  ...code,
  remarks: [...code.remarks, ...remarks],
});
