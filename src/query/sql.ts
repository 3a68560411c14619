import {
  type AnyColumn,
  type Column,
  type ColumnKind,
  type ColumnValue,
  type ComparedKind,
  checked,
  factsKey,
  typeWord,
  type ValueType,
} from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { type Expression, type ExpressionOf, expression, isExpression, nodeOf } from "../expression/index.js";
import { type Projection, type Query, type RawText, valueNode } from "../ir/index.js";
import { isEntity, resolve } from "../model/index.js";
import type { Derived } from "./combined-types.js";
import { derivedEntity } from "./derived.js";
import { queryOf } from "./query.js";

/** A part of SQL: an expression, an entity for its table, or a value, which becomes a parameter. */
export type SqlPart =
  | Expression
  | { readonly newRowSchema: unknown }
  | string
  | number
  | bigint
  | boolean
  | Uint8Array
  | Date;

/** The kind that a value says of itself; a number is a floating-point one unless it is whole. */
function typeOfValue(value: unknown): ValueType | undefined {
  switch (typeof value) {
    case "string":
      return { kind: "text" };
    case "number":
      return { kind: Number.isInteger(value) && Math.abs(value) <= 2_147_483_647 ? "integer" : "double" };
    case "bigint":
      return { kind: "bigint" };
    case "boolean":
      return { kind: "boolean" };
    default:
      if (value instanceof Uint8Array) return { kind: "bytes" };
      return value instanceof Date ? { kind: "timestamp" } : undefined;
  }
}

/**
 * SQL as it was written, what stands between its parts made safe: values become parameters, whatever is in them.
 * @throws GemachError `VALUE_MISSING`, `VALUE_UNFIT`
 */
function textOf(parts: readonly string[], between: readonly unknown[]): RawText {
  return {
    parts: [...parts],
    between: between.map((part) => {
      if (isExpression(part)) return nodeOf(part);
      if (isEntity(part)) return { kind: "table", entity: resolve(part) };
      if (part === undefined) throw new GemachError("VALUE_MISSING", { column: "sql" });
      const type = typeOfValue(part);
      if (type === undefined)
        throw new GemachError("VALUE_UNFIT", {
          column: "sql",
          expected:
            "an expression, an entity, a string, a number, a bigint, a truth value, bytes or a Date; for another kind use literal()",
          got: typeWord(part),
        });
      return valueNode(checked(part, type, "sql"), type);
    }),
  };
}

/** in: columns; out: a row of their values. */
type RawRow<C> = { -readonly [P in keyof C]: ColumnValue<C[P]> };

/** A statement as it was written, whose rows are described by columns. */
export interface RawRows<C> extends Query<RawRow<C>> {
  /** A statement as a source, for `from` and joins: narrowed, ordered and limited by the builder. */
  readonly rows: Derived<{
    readonly [P in keyof C]: C[P] extends Column<infer K extends ColumnKind, infer _V, infer _T>
      ? ExpressionOf<ComparedKind<K>, ColumnValue<C[P]>>
      : never;
  }>;
}

const rawKey: unique symbol = Symbol("gemach.raw");

/** A statement as it was written. */
export interface RawStatement {
  readonly text: RawText;
  readonly columns: readonly (readonly [name: string, column: AnyColumn])[];
}

/** What is known of a statement as it was written; undefined for anything else. @internal */
export const rawIn = (value: unknown): RawStatement | undefined =>
  typeof value === "object" && value !== null ? (value as { readonly [rawKey]?: RawStatement })[rawKey] : undefined;

/** A statement that gives no rows. */
export interface RawCommand {
  /** @internal */
  readonly [rawKey]: RawStatement;
}

type Tag<R> = (parts: TemplateStringsArray, ...between: readonly SqlPart[]) => R;

const projectionFor = (columns: RawStatement["columns"]): Projection => ({
  kind: "object",
  fields: columns.map(([name, { [factsKey]: facts }]) => [
    name,
    {
      kind: "value",
      node: { kind: "raw", parts: [""], between: [], type: facts.type, isNullable: facts.traits.has("nullable") },
    },
  ]),
  presence: undefined,
});

/**
 * SQL where the builder cannot say something. What is put between its parts is never text: a value becomes a
 * parameter, an entity its table, an expression itself.
 *
 * `sql(integer)`: an expression of a kind, inside of a query. `sql.rows({ id: integer })`: a whole statement,
 * whose columns are listed in their order. `sql.command`: one that gives no rows.
 */
export const sql = Object.assign(
  <K extends ColumnKind, V, T extends "nullable">(of: Column<K, V, T>) =>
    (
      parts: TemplateStringsArray,
      ...between: readonly SqlPart[]
    ): ExpressionOf<ComparedKind<K>, ColumnValue<Column<K, V, T>>> => {
      const { type, traits } = of[factsKey];
      return expression({ kind: "raw", ...textOf(parts, between), type, isNullable: traits.has("nullable") });
    },
  {
    rows:
      <const C extends Readonly<Record<string, AnyColumn>>>(columns: C): Tag<RawRows<C>> =>
      (parts, ...between) => {
        const text = textOf(parts, between);
        const named = Object.entries(columns);
        const entity = derivedEntity("rows", [projectionFor(named)], { kind: "raw", name: "rows", text });
        return Object.freeze({ [rawKey]: { text, columns: named }, rows: queryOf(entity) }) as unknown as RawRows<C>;
      },
    command: ((parts, ...between) =>
      Object.freeze({ [rawKey]: { text: textOf(parts, between), columns: [] } })) as Tag<RawCommand>,
  },
);
