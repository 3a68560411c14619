import { GemachError } from "../errors/index.js";
import type { ColumnKind } from "../model/index.js";
import type { Parameter } from "./tree.js";

/** What goes over the wire in either direction: all that a driver has to take and may give. */
export type Wire = null | boolean | number | bigint | string | Uint8Array;

/** The keys of another statement's rows, as they came over the wire. */
export type Keys = readonly (readonly Wire[])[];

/** Makes a value from what came over the wire; it is never asked about null. */
export type Decoder = (wire: Wire) => unknown;

/** The dialects there are. */
export type DialectName = "sqlite" | "postgres" | "mariadb";

/** What an insert of whole columns is made of; names are quoted already. */
export interface ArrayInsert {
  /** "insert into … (…)" */
  readonly into: string;
  readonly table: string;
  readonly types: readonly ColumnKind[];
  /** The identity column whose values the rows bring themselves, not quoted. */
  readonly identity: string | undefined;
}

/** What sets one engine's SQL apart: texts, and the form of values on the wire. */
export interface Dialect {
  readonly name: DialectName;
  /** What messages call the engine. */
  readonly engine: string;
  readonly quote: (name: string) => string;
  readonly placeholder: (position: number) => string;
  readonly distinct: (left: string, right: string) => string;
  readonly inList: (operand: string, placeholder: string, type: ColumnKind, negated: boolean) => string;
  /** Whether the operands are among the keys; `add` gives the placeholder of one part of them, or of all. */
  readonly inKeys: (
    operands: readonly string[],
    types: readonly ColumnKind[],
    add: (part: number | "all") => string,
  ) => string;
  /** Where rows without a value go: first in ascending order. */
  readonly nulls: (descending: boolean) => string;
  readonly limit: (limit: string | undefined, offset: string | undefined) => string;
  readonly encode: (parameter: Exclude<Parameter, { kind: "keys" }>) => Wire;
  readonly encodeKeys: (parameter: Extract<Parameter, { kind: "keys" }>, keys: Keys) => Wire;
  /** Inserts all rows by one statement, each column as an array; undefined where the engine has no arrays. */
  readonly insertArrays: ((insert: ArrayInsert) => string) | undefined;
  /** Else how many rows one statement may take, the most first: few sizes, so that there are few texts. */
  readonly rowsPerInsert: readonly number[];
  /** Decoders by kind; undefined where the wire has the very value. */
  readonly decoders: Readonly<Record<ColumnKind, Decoder | undefined>>;
  /** How a table's definition says of a column that it is the primary key and that the database hands it out. */
  readonly identity: string;
  /** The type of a column in a table's definition; of one that is part of a key or index, where that matters. */
  readonly columnType: (kind: ColumnKind, isIndexed: boolean) => string;
  /** What stands after a table's definition. */
  readonly tableSettings: string;
}

/** An identifier in double quotes, the standard's form. */
export function quoteDouble(name: string): string {
  if (name.includes("\0")) throw new GemachError("IDENTIFIER_UNFIT", {});
  return `"${name.replaceAll('"', '""')}"`;
}

/** A whole number from the wire, where a JavaScript number holds it. */
export const decodeWhole: Decoder = (wire) => {
  const number = Number(wire);
  if (!Number.isSafeInteger(number)) throw new GemachError("VALUE_LOSSY", {});
  return number;
};
