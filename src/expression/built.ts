import { checked, comparedKind, comparedKindsThat, kinds, type Scalar, type ValueType } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { type CallName, constantNode, labelOf, type Node, type OrderNode, typeOf, valueNode } from "../ir/index.js";
import { noteMade } from "./made.js";

export const nodeKey: unique symbol = Symbol("gemach.node");
export const orderKey: unique symbol = Symbol("gemach.order");

const sortable = comparedKindsThat(({ isSortable }) => isSortable);

/**
 * What rows are sorted by.
 * @throws GemachError `KIND_UNFIT` for values that engines sort each in its own way
 */
function sortableNode(node: Node, call: string): Node {
  const { kind } = typeOf(node).type;
  if (kinds[kind].isSortable) return node;
  throw new GemachError("KIND_UNFIT", { call, kinds: sortable, column: labelOf(node), kind });
}

/** What every expression is made of: its tree, and the orders by it. */
export class Built {
  readonly [nodeKey]: Node;

  constructor(node: Node) {
    this[nodeKey] = node;
  }

  get asc(): BuiltOrder {
    return new BuiltOrder({ node: sortableNode(this[nodeKey], "asc"), descending: false });
  }

  get desc(): BuiltOrder {
    return new BuiltOrder({ node: sortableNode(this[nodeKey], "desc"), descending: true });
  }
}

/** A direction of sorting, and where rows without a value come. */
export class BuiltOrder {
  readonly [orderKey]: OrderNode;

  constructor(order: OrderNode) {
    this[orderKey] = order;
  }

  get nullsFirst(): BuiltOrder {
    const { node, descending } = this[orderKey];
    return new BuiltOrder({ node, descending, nulls: descending ? "first" : undefined });
  }

  get nullsLast(): BuiltOrder {
    const { node, descending } = this[orderKey];
    return new BuiltOrder({ node, descending, nulls: descending ? undefined : "last" });
  }
}

/** An expression of the same class for another tree. */
export const again = (self: Built, node: Node): Built => new (self.constructor as typeof Built)(node);

/** A predicate of the same class. */
export function predicateBy(self: Built, node: Node): Built {
  noteMade(node);
  return again(self, node);
}

/** The type that a value compared with an expression must be of. */
const unfit = (node: Node, expected: string, got: string): GemachError =>
  new GemachError("VALUE_UNFIT", { column: labelOf(node), expected, got });

/**
 * An operand beside an expression: another expression of the same kind, or a value of its type.
 * @throws GemachError `VALUE_MISSING`, `VALUE_UNFIT`
 */
export function operandOf(left: Node, value: unknown, type: ValueType = typeOf(left).type): Node {
  if (value instanceof Built) {
    const { kind } = typeOf(value[nodeKey]).type;
    if (comparedKind(kind) === comparedKind(type.kind)) return value[nodeKey];
    throw unfit(
      left,
      `an expression that is ${comparedKind(type.kind)}`,
      `${labelOf(value[nodeKey])}, which is ${kind}`,
    );
  }
  const passed = checked(value, type, () => labelOf(left));
  if (passed === null) throw unfit(left, "a value to compare with", "null");
  return valueNode(passed, type);
}

/**
 * A call on an expression of one of the kinds.
 * @throws GemachError `VALUE_UNFIT` where it is of another.
 */
export function call(
  self: Built,
  name: CallName,
  kinds: readonly ValueType["kind"][],
  operands: readonly Node[],
  type: ValueType,
  alwaysNullable = false,
): Built {
  const node = self[nodeKey];
  const { kind } = typeOf(node).type;
  if (!kinds.includes(comparedKind(kind)))
    throw new GemachError("KIND_UNFIT", { call: name, kinds, column: labelOf(node), kind });
  const all = [node, ...operands];
  const isNullable = alwaysNullable || all.some((operand) => typeOf(operand).isNullable);
  return again(self, { kind: "call", call: name, operands: all, type, isNullable });
}

const whole = { kind: "integer" } as const;

const checkedWhole = (value: number): Scalar => checked(value, whole, "an integer");

/** A whole number as an operand of a call. */
export const wholeNumber = (value: number): Node => valueNode(checkedWhole(value), whole);

/** One that shapes the text of a call: a position, a number of digits. */
export const shapingNumber = (value: number): Node => constantNode(checkedWhole(value), whole);
