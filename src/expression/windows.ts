import { type ColumnKind, typeWord, type ValueType } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  constantNode,
  type Node,
  typeOf,
  type WindowAggregate,
  type WindowName,
  type WindowNode,
  type WindowRule,
  windowRules,
} from "../ir/index.js";
import type { RankedKind } from "./aggregate-types.js";
import { aggregated } from "./aggregates.js";
import { expression, isExpression, nodeOf, orderNodes } from "./expression.js";
import type { Expression, ExpressionOf, NumberExpression, NumberKind, Order } from "./expression-types.js";

/** The rows among which a row is seen. */
export interface Window {
  /** Only rows that have the same values are seen together; all rows where it is left out. */
  readonly by?: Expression | readonly Expression[];
  /** The order in which they are seen. */
  readonly order?: Order | readonly Order[];
  /**
   * Of an aggregate: how many rows before the row are taken; all of them where it is left out and there is an order.
   */
  readonly before?: number;
  /** Of an aggregate: how many rows after the row are taken; none where it is left out and there is an order. */
  readonly after?: number;
}

const whole: ValueType = { kind: "integer" };

function nodesIn(given: Expression | readonly Expression[] | undefined): readonly Node[] {
  if (given === undefined) return [];
  return (Array.isArray(given) ? given : [given]).map((item) => {
    if (!isExpression(item))
      throw new GemachError("VALUE_UNFIT", {
        column: "by",
        expected: "an expression or several",
        got: typeWord(item),
      });
    return nodeOf(item);
  });
}

type Facts = Pick<WindowNode, "call" | "operands" | "type" | "isNullable" | "frame">;

const windowed = ({ by, order = [] }: Window, facts: Facts): never =>
  expression({ kind: "window", partitionBy: nodesIn(by), orderBy: orderNodes(order), ...facts }) as never;

/** A function of the row among its rows: its rule has the type of its value. */
function among(call: WindowName, window: Window, ...operands: readonly Node[]): never {
  const { type, isNullable, isOfAll }: WindowRule = windowRules[call];
  const [first] = operands;
  const own = first === undefined ? undefined : typeOf(first);
  return windowed(window, {
    call,
    operands,
    type: (type ?? own?.type) as ValueType,
    isNullable: (isNullable ?? own?.isNullable) as boolean,
    frame: isOfAll ? { before: undefined, after: undefined } : undefined,
  });
}

/** The number of the row among its rows in their order, from 1. */
export const rowNumber = (window: Window): NumberExpression<number, "integer"> => among("rowNumber", window);

/** The number of the row among its rows in their order: rows that are equal in it have one number, and leave a gap. */
export const rank = (window: Window): NumberExpression<number, "integer"> => among("rank", window);

/** The number of the row among its rows in their order: rows that are equal in it have one number, without gaps. */
export const denseRank = (window: Window): NumberExpression<number, "integer"> => among("denseRank", window);

/** The part of the other rows that come before it, from 0 to 1: that rank less one, by how many others there are. */
export const percentRank = (window: Window): NumberExpression<number, "double"> => among("percentRank", window);

/**
 * The number, from 1, of the part in which the row is where its rows are divided into so many parts, alike in size.
 * @throws GemachError `VALUE_UNFIT` where that is no whole number of at least 1
 */
export const ntile = (parts: number, window: Window): NumberExpression<number, "integer"> => {
  if (!(Number.isInteger(parts) && parts >= 1))
    throw new GemachError("VALUE_UNFIT", {
      column: "ntile()",
      expected: "a whole number of at least 1",
      got: "another",
    });
  return among("ntile", window, constantNode(parts, whole));
};

/** The value of the row before it, or so many rows before; missing where there is none. */
export const lag = <V, K extends ColumnKind>(
  of: Expression<V, K>,
  window: Window,
  rows = 1,
): ExpressionOf<K, V | null> => among("lag", window, nodeOf(of), constantNode(rows, whole));

/** The value of the row after it, or so many rows after; missing where there is none. */
export const lead = <V, K extends ColumnKind>(
  of: Expression<V, K>,
  window: Window,
  rows = 1,
): ExpressionOf<K, V | null> => among("lead", window, nodeOf(of), constantNode(rows, whole));

/** The value of the first of its rows. */
export const firstValue = <V, K extends ColumnKind>(of: Expression<V, K>, window: Window): ExpressionOf<K, V> =>
  among("firstValue", window, nodeOf(of));

/** The value of the last of its rows. */
export const lastValue = <V, K extends ColumnKind>(of: Expression<V, K>, window: Window): ExpressionOf<K, V> =>
  among("lastValue", window, nodeOf(of));

function over(call: WindowAggregate, window: Window, of?: Expression): never {
  // The row itself is always among those that are seen.
  const { operand, type, isNullable } = aggregated(call, of, { hasRows: true });
  const { order, before, after = 0 } = window;
  const isOrdered = order !== undefined && orderNodes(order).length > 0;
  const operands = operand === undefined ? [] : [operand];
  return windowed(window, { call, operands, type, isNullable, frame: isOrdered ? { before, after } : undefined });
}

/** How many rows are seen together; in an order: how many up to the row. */
export const countOver = (window: Window): NumberExpression<number, "integer"> => over("count", window);

/** The sum over the rows that are seen together; in an order: up to the row, or of the rows around it. */
export const sumOver = <V, K extends NumberKind>(of: Expression<V, K>, window: Window): ExpressionOf<K, V> =>
  over("sum", window, of);

/** The average over the rows that are seen together; in an order: up to the row, or of the rows around it. */
export const avgOver = <V, K extends NumberKind>(
  of: Expression<V, K>,
  window: Window,
): NumberExpression<number | (V & null), "double"> => over("avg", window, of);

/** The least value of the rows that are seen together; in an order: up to the row, or of the rows around it. */
export const minOver = <V, K extends RankedKind>(of: Expression<V, K>, window: Window): ExpressionOf<K, V> =>
  over("min", window, of);

/** The greatest value of the rows that are seen together; in an order: up to the row, or of the rows around it. */
export const maxOver = <V, K extends RankedKind>(of: Expression<V, K>, window: Window): ExpressionOf<K, V> =>
  over("max", window, of);
