import {
  type Column,
  type ColumnKind,
  type ComparedKind,
  checked,
  factsKey,
  type ValueType,
} from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { type CallName, type CaseNode, type Node, typeOf, valueNode } from "../ir/index.js";
import { operandOf } from "./built.js";
import { atOneScale } from "./decimals.js";
import { expression, isExpression, nodeOf, predicateNode } from "./expression.js";
import type {
  Day,
  Expression,
  ExpressionOf,
  Instant,
  Missing,
  MissingIn,
  Operand,
  Predicate,
} from "./expression-types.js";

function several(
  name: CallName,
  first: Expression,
  others: readonly unknown[],
  isNullable: (of: readonly Node[]) => boolean,
): never {
  if (!isExpression(first)) throw notExpression(name);
  const left = nodeOf(first);
  const operands = atOneScale([left, ...others.map((other) => operandOf(left, other))]);
  const type = sharedType(operands);
  return expression({ kind: "call", call: name, operands, type, isNullable: isNullable(operands) }) as never;
}

/** The type of what is one of several values: plain where they are not stored alike. */
function sharedType(nodes: readonly Node[]): ValueType {
  const { stored, ...type } = typeOf(nodes[0] as Node).type;
  const isAlike = nodes.every((node) => typeOf(node).type.stored === stored);
  return stored === undefined || !isAlike ? type : { ...type, stored };
}

const notExpression = (name: string): GemachError =>
  new GemachError("VALUE_UNFIT", { column: `${name}()`, expected: "an expression first", got: "something else" });

const isAnyNullable = (nodes: readonly Node[]): boolean => nodes.some((node) => typeOf(node).isNullable);

/** in: operands; out: true among others where one of them always has a value. */
type IsSure<O> = O extends unknown ? ([MissingIn<O>] extends [never] ? true : false) : never;

/** The first of the expressions that has a value; the last may be a plain value. */
export function coalesce<V, K extends ColumnKind, const O extends readonly Operand<NonNullable<V>, K>[]>(
  first: Expression<V, K>,
  ...others: O
): ExpressionOf<K, true extends IsSure<O[number]> ? NonNullable<V> : V> {
  return several("coalesce", first, others, (nodes) => nodes.every((node) => typeOf(node).isNullable));
}

/** The expression's value, missing where it equals the other. */
export function nullIf<V, K extends ColumnKind>(
  first: Expression<V, K>,
  other: Operand<NonNullable<V>, K>,
): ExpressionOf<K, V | null> {
  return several("nullIf", first, [other], () => true);
}

/** The least of several values; missing where one of them is. */
export function least<V, K extends ColumnKind, const O extends readonly Operand<NonNullable<V>, K>[]>(
  first: Expression<V, K>,
  ...others: O
): ExpressionOf<K, V | MissingIn<O[number]>> {
  return several("least", first, others, isAnyNullable);
}

/** The greatest of several values; missing where one of them is. */
export function greatest<V, K extends ColumnKind, const O extends readonly Operand<NonNullable<V>, K>[]>(
  first: Expression<V, K>,
  ...others: O
): ExpressionOf<K, V | MissingIn<O[number]>> {
  return several("greatest", first, others, isAnyNullable);
}

/**
 * The instant at which the database runs the statement; on PostgreSQL, that at which the transaction began. Of
 * `isoTimestamp`, code sees it as a text.
 */
export const now = <V extends Date | string = Date>(of?: Column<"timestamp", V, never>): Instant<V> =>
  expression({
    kind: "call",
    call: "now",
    operands: [],
    type: of === undefined ? { kind: "timestamp" } : of[factsKey].type,
    isNullable: false,
  });

/** The day, in UTC, on which the database runs the statement. */
export const today = (): Day<string> =>
  expression({ kind: "call", call: "today", operands: [], type: { kind: "date" }, isNullable: false });

/** A value as an expression, of a column's kind: `literal(numeric(8, 2), "1.50")`; null: none, of that kind. */
export function literal<K extends ColumnKind, V>(of: Column<K, V, never>, value: V): ExpressionOf<ComparedKind<K>, V>;
export function literal<K extends ColumnKind, V>(
  of: Column<K, V, never>,
  value: V | null,
): ExpressionOf<ComparedKind<K>, V | null>;
export function literal(of: Column<ColumnKind, unknown, never>, value: unknown): unknown {
  const { type } = of[factsKey];
  return expression(valueNode(value === null ? null : checked(value, type, "a literal"), type));
}

/** Plain values that say by themselves of what kind they are; a number is a whole one. */
type Plain = string | number | boolean;

/** in: an expression or a plain value; out: the kind it is compared as. */
type KindIn<T> =
  T extends Expression<unknown, infer K> ? K : T extends string ? "text" : T extends number ? "integer" : "boolean";

/** in: an expression or a plain value; out: the type of its values. */
type ValueIn<T> = T extends Expression<infer V> ? V : T extends string ? string : T extends number ? number : boolean;

/**
 * The beginning of a case expression: values beside the conditions under which they are taken, the first that is true.
 */
export interface Case<V, K extends ColumnKind> {
  /** A further condition, asked where none before it is true. */
  when<const T extends Operand<NonNullable<V>, K>>(
    predicate: Predicate,
    value: T,
  ): Case<V | (T extends Expression<infer X> ? Missing<X> : never), K>;
  /** The value where no condition is true; null: none. */
  otherwise<const T extends Operand<NonNullable<V>, K> | null>(
    value: T,
  ): ExpressionOf<K, V | (T extends null ? null : MissingIn<T>)>;
}

interface Branch {
  readonly when: Node;
  readonly value: Node;
}

function caseOf(branches: readonly [Branch, ...Branch[]]): Case<unknown, ColumnKind> {
  const [first] = branches;
  return {
    when: (predicate, value) =>
      caseOf([...branches, { when: predicateNode(predicate, "when"), value: operandOf(first.value, value) }]),
    otherwise: (value) => {
      const values = branches.map((branch) => branch.value);
      const [last, ...made] =
        value === null ? [undefined, ...atOneScale(values)] : atOneScale([operandOf(first.value, value), ...values]);
      const type = sharedType(last === undefined ? (made as Node[]) : [...(made as Node[]), last]);
      const node: CaseNode = {
        kind: "case",
        branches: branches.map(({ when }, i) => ({ when, value: made[i] as Node })),
        otherwise: last,
        type,
        isNullable: last === undefined || isAnyNullable([last, ...(made as Node[])]),
      };
      return expression(node);
    },
  };
}

/** A value where a predicate is true: `when(loan.returned.is(null), "out").otherwise("back")`. */
export function when<const T extends Expression | Plain>(predicate: Predicate, value: T): Case<ValueIn<T>, KindIn<T>> {
  return caseOf([{ when: predicateNode(predicate, "when"), value: firstValue(value) }]) as Case<ValueIn<T>, KindIn<T>>;
}

function firstValue(value: unknown): Node {
  if (isExpression(value)) return nodeOf(value);
  const kind = ({ string: "text", number: "integer", boolean: "boolean" } as const)[typeof value as string];
  if (kind === undefined)
    throw new GemachError("VALUE_UNFIT", {
      column: "when()",
      expected: "a string, a whole number, a truth value or an expression",
      got: "something else",
    });
  return valueNode(checked(value, { kind }, "when(); for another kind of value use literal()"), { kind });
}
