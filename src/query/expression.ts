import { GemachError } from "../errors/index.js";
import { type ColumnKind, type ComparedKind, checked, comparedKind } from "../model/index.js";
import { type Comparison, labelOf, type Node, type OrderNode, typeOf } from "./node.js";

const nodeKey: unique symbol = Symbol("gemach.node");
const orderKey: unique symbol = Symbol("gemach.order");
declare const valueType: unique symbol;
declare const kindType: unique symbol;

/** A direction of sorting, made by `asc` or `desc`. */
export interface Order {
  /** @internal */
  readonly [orderKey]: OrderNode;
}

/** What an expression can be compared with: a value, or an expression of the same kind. */
export type Operand<V, K extends ColumnKind> = V | Expression<V | null, K>;

/** Something that the database works out for a row. `V` is the type of its values, `K` their kind. */
export interface Expression<out V = unknown, out K extends ColumnKind = ColumnKind> {
  /** For the types only. @internal */
  readonly [valueType]: V;
  /** For the types only. @internal */
  readonly [kindType]: K;
  /** @internal */
  readonly [nodeKey]: Node;
  /** Sorts by it, smallest first; rows without a value come first of all. */
  readonly asc: Order;
  /** Sorts by it, largest first; rows without a value come last of all. */
  readonly desc: Order;
}

/** An expression of which can be asked only whether it has a value: engines compare such values each in its own way. */
export interface Present<V, K extends ColumnKind> extends Expression<V, K> {
  /** `is(null)`: has no value. */
  is(value: null & V): Predicate;
  /** `isNot(null)`: has a value. */
  isNot(value: null & V): Predicate;
}

/** An expression that can be compared for equality. */
export interface Comparable<V, K extends ColumnKind> extends Expression<V, K> {
  /** Equal to the value; `is(null)`: has no value. */
  is(value: Operand<V, K>): Predicate;
  /** Not equal to the value; rows without a value are kept. `isNot(null)`: has a value. */
  isNot(value: Operand<V, K>): Predicate;
  /** Equal to one of the values; false for an empty list. */
  oneOf(values: readonly NonNullable<V>[]): Predicate;
  /** Equal to none of the values; rows without a value are kept. */
  notOneOf(values: readonly NonNullable<V>[]): Predicate;
}

/** An expression whose values have an order. */
export interface Ordered<V, K extends ColumnKind> extends Comparable<V, K> {
  /** Less than the value; for days: earlier. */
  below(value: Operand<NonNullable<V>, K>): Predicate;
  /** Greater than the value; for days: later. */
  above(value: Operand<NonNullable<V>, K>): Predicate;
  /** Less than or equal to the value. */
  atMost(value: Operand<NonNullable<V>, K>): Predicate;
  /** Greater than or equal to the value. */
  atLeast(value: Operand<NonNullable<V>, K>): Predicate;
  /** From the first to the second value, both included. */
  between(from: Operand<NonNullable<V>, K>, to: Operand<NonNullable<V>, K>): Predicate;
}

/** An expression that is true or false for each row: never without a value. */
export interface Predicate extends Comparable<boolean, "boolean"> {}

/** in: a column's kind and the type of its values; out: the expression that it gives. */
export type ExpressionOf<K extends ColumnKind, V> = K extends "json" | "list"
  ? Present<V, K>
  : K extends "boolean" | "bytes"
    ? Comparable<V, K>
    : Ordered<V, ComparedKind<K>>;

class BuiltExpression implements Expression {
  declare readonly [valueType]: unknown;
  declare readonly [kindType]: ColumnKind;
  readonly [nodeKey]: Node;

  constructor(node: Node) {
    this[nodeKey] = node;
  }

  get asc(): Order {
    return { [orderKey]: { node: this[nodeKey], descending: false } };
  }

  get desc(): Order {
    return { [orderKey]: { node: this[nodeKey], descending: true } };
  }

  is(value: unknown): Predicate {
    return this.#compare("equal", value);
  }

  isNot(value: unknown): Predicate {
    return this.#compare("unequal", value);
  }

  below(value: unknown): Predicate {
    return this.#compare("below", value);
  }

  above(value: unknown): Predicate {
    return this.#compare("above", value);
  }

  atMost(value: unknown): Predicate {
    return this.#compare("atMost", value);
  }

  atLeast(value: unknown): Predicate {
    return this.#compare("atLeast", value);
  }

  between(from: unknown, to: unknown): Predicate {
    return and(this.atLeast(from), this.atMost(to));
  }

  oneOf(values: readonly unknown[]): Predicate {
    const operand = this[nodeKey];
    const { type } = typeOf(operand);
    if (!Array.isArray(values)) {
      if (values === undefined) throw new GemachError("VALUE_MISSING", { column: labelOf(operand) });
      throw new GemachError("VALUE_UNFIT", {
        column: labelOf(operand),
        expected: "a list of values",
        got: "something else",
      });
    }
    const list = values.map((value) => {
      const passed = checked(value, type, labelOf(operand));
      if (passed === null)
        throw new GemachError("VALUE_UNFIT", {
          column: labelOf(operand),
          expected: "a list without null",
          got: "null in it",
        });
      return passed;
    });
    return expression({ kind: "oneOf", operand, values: list });
  }

  notOneOf(values: readonly unknown[]): Predicate {
    return not(this.oneOf(values));
  }

  #compare(comparison: Comparison, value: unknown): Predicate {
    const left = this[nodeKey];
    if (value === null && (comparison === "equal" || comparison === "unequal")) {
      const isNull: Node = { kind: "isNull", operand: left };
      return expression(comparison === "equal" ? isNull : { kind: "not", item: isNull });
    }
    return expression({ kind: "compare", comparison, left, right: this.#operand(value) });
  }

  #operand(value: unknown): Node {
    const left = this[nodeKey];
    const { type } = typeOf(left);
    const { kind } = type;
    if (isExpression(value)) {
      const other = typeOf(value[nodeKey]).type.kind;
      if (comparedKind(other) === comparedKind(kind)) return value[nodeKey];
      const got = `${labelOf(value[nodeKey])}, which is ${other}`;
      throw new GemachError("VALUE_UNFIT", {
        column: labelOf(left),
        expected: `an expression that is ${comparedKind(kind)}`,
        got,
      });
    }
    const passed = checked(value, type, labelOf(left));
    if (passed === null)
      throw new GemachError("VALUE_UNFIT", { column: labelOf(left), expected: "a value to compare with", got: "null" });
    return { kind: "value", value: passed, type };
  }
}

/** The expression that a node stands for, with every method a kind may have. @internal */
// biome-ignore lint/suspicious/noExplicitAny: the caller's declared type says which methods are open
export function expression(node: Node): any {
  return new BuiltExpression(node);
}

/** Whether a value is an expression. @internal */
export function isExpression(value: unknown): value is Expression {
  return value instanceof BuiltExpression;
}

/** The tree of an expression. @internal */
export const nodeOf = (of: Expression): Node => of[nodeKey];

/** What an order sorts by. @internal */
export const orderNodeOf = (order: Order): OrderNode => order[orderKey];

/** Whether a value is an order. @internal */
export const isOrder = (value: unknown): value is Order =>
  typeof value === "object" && value !== null && orderKey in value;

/**
 * The tree of a predicate.
 * @throws GemachError `PREDICATE_EXPECTED` for anything else.
 * @internal
 */
export function predicateNode(value: unknown, method: string): Node {
  const node = isExpression(value) ? value[nodeKey] : undefined;
  if (node === undefined || typeOf(node).type.kind !== "boolean" || typeOf(node).isNullable)
    throw new GemachError("PREDICATE_EXPECTED", { method });
  return node;
}

const combined = (operator: "and" | "or", predicates: readonly Predicate[]): Predicate =>
  expression({ kind: "logic", operator, items: predicates.map((item) => predicateNode(item, operator)) });

/** True where all of the predicates are; `and()` of none is true. */
export function and(...predicates: readonly Predicate[]): Predicate {
  return combined("and", predicates);
}

/** True where at least one of the predicates is; `or()` of none is false. */
export function or(...predicates: readonly Predicate[]): Predicate {
  return combined("or", predicates);
}

/** True where the predicate is false; a comparison with a missing value is false, so that this keeps it. */
export function not(predicate: Predicate): Predicate {
  return expression({ kind: "not", item: predicateNode(predicate, "not") });
}
