import { checked, typeWord } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { type Comparison, labelOf, type Node, type OrderNode, type Query, stateIn, typeOf } from "../ir/index.js";
import { Built, nodeKey, operandOf, orderKey, predicateBy } from "./built.js";
import { dayMethods } from "./days.js";
import { documentMethods } from "./documents.js";
import type {
  Day,
  Expression,
  Instant,
  JsonDocument,
  LocalInstant,
  NumberExpression,
  Order,
  Predicate,
  Text,
  TimeOfDay,
} from "./expression-types.js";
import { inQuery } from "./in-query.js";
import { type ListParameter, listHoleFor, listHoleIn } from "./list-parameter.js";
import { noteMade, refuseUnused, withMade } from "./made.js";
import { numberMethods } from "./numbers.js";
import { textMethods } from "./texts.js";

class BuiltExpression extends Built {
  is(value: unknown): Built {
    return this.#compare("equal", value);
  }

  isNot(value: unknown): Built {
    return this.#compare("unequal", value);
  }

  below(value: unknown): Built {
    return this.#compare("below", value);
  }

  above(value: unknown): Built {
    return this.#compare("above", value);
  }

  atMost(value: unknown): Built {
    return this.#compare("atMost", value);
  }

  atLeast(value: unknown): Built {
    return this.#compare("atLeast", value);
  }

  between(from: unknown, to: unknown): Built {
    const items = [this.atLeast(from)[nodeKey], this.atMost(to)[nodeKey]];
    return predicateBy(this, { kind: "logic", operator: "and", items });
  }

  oneOf(values: readonly unknown[] | Query | ListParameter): Built {
    const operand = this[nodeKey];
    const { type } = typeOf(operand);
    const query = stateIn(values);
    if (query !== undefined) return predicateBy(this, inQuery([operand], query));
    const hole = listHoleIn(values);
    if (hole !== undefined) return predicateBy(this, { kind: "oneOf", operand, values: listHoleFor(operand, hole) });
    if (!Array.isArray(values)) {
      if (values === undefined) throw new GemachError("VALUE_MISSING", { column: labelOf(operand) });
      throw new GemachError("VALUE_UNFIT", {
        column: labelOf(operand),
        expected: "a list of values",
        got: typeWord(values),
      });
    }
    const label = () => labelOf(operand);
    const list = values.map((value) => {
      const passed = checked(value, type, label);
      if (passed === null)
        throw new GemachError("VALUE_UNFIT", {
          column: label(),
          expected: "a list without null",
          got: "null in it",
        });
      return passed;
    });
    return predicateBy(this, { kind: "oneOf", operand, values: list });
  }

  notOneOf(values: readonly unknown[] | Query | ListParameter): Built {
    return predicateBy(this, { kind: "not", item: this.oneOf(values)[nodeKey] });
  }

  #compare(comparison: Comparison, value: unknown): Built {
    const left = this[nodeKey];
    if (value === null && (comparison === "equal" || comparison === "unequal")) {
      const isNull: Node = { kind: "isNull", operand: left };
      return predicateBy(this, comparison === "equal" ? isNull : { kind: "not", item: isNull });
    }
    return predicateBy(this, { kind: "compare", comparison, left, right: operandOf(left, value) });
  }
}

/** Methods that some kinds of expression have by their types. */
type MethodName = Exclude<
  | keyof Text<string>
  | keyof NumberExpression<number, "integer">
  | keyof Day<string>
  | keyof Instant<Date>
  | keyof LocalInstant<Date>
  | keyof TimeOfDay<string>
  | keyof JsonDocument<unknown>,
  keyof BuiltExpression | symbol
>;
const methods = { ...textMethods, ...numberMethods, ...dayMethods, ...documentMethods };
/** A method without a function does not compile, nor does a function without a type. */
type Typed = Readonly<Record<MethodName, unknown> & Record<Exclude<keyof typeof methods, MethodName>, never>>;
Object.assign(BuiltExpression.prototype, methods satisfies Typed);

/** The expression that a node stands for, with every method a kind may have. @internal */
// biome-ignore lint/suspicious/noExplicitAny: the caller's declared type says which methods are open
export function expression(node: Node): any {
  return new BuiltExpression(node);
}

/** The predicate that a node stands for. @internal */
export function predicate(node: Node): Predicate {
  noteMade(node);
  return new BuiltExpression(node) as unknown as Predicate;
}

/** Whether a value is an expression. @internal */
export function isExpression(value: unknown): value is Expression {
  return value instanceof Built;
}

/** The tree of an expression. @internal */
export const nodeOf = (of: Expression): Node => of[nodeKey];

/** What an order sorts by. @internal */
export const orderNodeOf = (order: Order): OrderNode => order[orderKey];

/** Whether a value is an order. @internal */
export const isOrder = (value: unknown): value is Order =>
  typeof value === "object" && value !== null && orderKey in value;

/**
 * What a callback gave to sort by.
 * @throws GemachError `ORDER_EXPECTED`
 * @internal
 */
export const orderNodes = (given: unknown): readonly OrderNode[] =>
  (Array.isArray(given) ? given : [given]).map((item) => {
    if (!isOrder(item)) throw new GemachError("ORDER_EXPECTED", {});
    return orderNodeOf(item);
  });

/**
 * The tree of a predicate.
 * @throws GemachError `PREDICATE_EXPECTED` for anything else.
 * @internal
 */
export function predicateNode(value: unknown, method: string): Node {
  const node = isExpression(value) ? nodeOf(value) : undefined;
  if (node === undefined || !isPredicate(node)) throw new GemachError("PREDICATE_EXPECTED", { method });
  return node;
}

/**
 * The tree of the predicate that a callback gives, all that it makes being part of it.
 * @throws GemachError `PREDICATE_EXPECTED`, `PREDICATE_UNUSED`
 * @internal
 */
export function predicateGiven(callback: () => unknown, method: string): Node {
  const { result, own } = withMade(callback);
  const node = predicateNode(result, method);
  refuseUnused(node, own, method);
  return node;
}

/** Whether an expression is true or false for each row; a condition on a text without a value is false. */
function isPredicate(node: Node): boolean {
  const { type, isNullable } = typeOf(node);
  return type.kind === "boolean" && !isNullable;
}

const combined = (operator: "and" | "or", predicates: readonly Predicate[]): Predicate =>
  predicate({ kind: "logic", operator, items: predicates.map((item) => predicateNode(item, operator)) });

/** True where all of the predicates are; `and()` of none is true. */
export function and(...predicates: readonly Predicate[]): Predicate {
  return combined("and", predicates);
}

/** True where at least one of the predicates is; `or()` of none is false. */
export function or(...predicates: readonly Predicate[]): Predicate {
  return combined("or", predicates);
}

/** True where the predicate is false; a comparison with a missing value is false, so that this keeps it. */
export function not(given: Predicate): Predicate {
  return predicate({ kind: "not", item: predicateNode(given, "not") });
}
