import { checked, typeWord } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { labelOf, type Query, stateIn, typeOf } from "../ir/index.js";
import { isExpression, nodeOf, predicate } from "./expression.js";
import type { Expression, Predicate } from "./expression-types.js";
import { inQuery } from "./in-query.js";

/** in: expressions; out: the values that they are compared with. */
type ValuesOf<T extends readonly Expression[]> = {
  readonly [P in keyof T]: T[P] extends Expression<infer V> ? NonNullable<V> : never;
};

/** Several expressions together. */
export interface Tuple<T extends readonly Expression[]> {
  /** Equal to one of the lists of values, each to its own. */
  oneOf(rows: readonly ValuesOf<T>[] | Query): Predicate;
  /** Equal to none of them; rows without one of the values are kept. */
  notOneOf(rows: readonly ValuesOf<T>[] | Query): Predicate;
}

/** Several expressions, to be compared together: `tuple(tag.depotId, tag.number).oneOf([[1, 7], [2, 3]])`. */
export function tuple<const T extends readonly [Expression, ...Expression[]]>(...parts: T): Tuple<T> {
  const operands = parts.map((part) => {
    if (!isExpression(part))
      throw new GemachError("VALUE_UNFIT", { column: "tuple()", expected: "expressions", got: typeWord(part) });
    return nodeOf(part);
  });
  const oneOf = (rows: readonly (readonly unknown[])[] | Query): Predicate => {
    const query = stateIn(rows);
    if (query !== undefined) return predicate(inQuery(operands, query));
    const list = (rows as readonly (readonly unknown[])[]).map((row) => {
      if (!Array.isArray(row) || row.length !== operands.length)
        throw new GemachError("VALUE_UNFIT", {
          column: operands.map(labelOf).join(", "),
          expected: `lists of ${operands.length} values`,
          got: Array.isArray(row) ? `one of ${row.length}` : typeWord(row),
        });
      return row.map((value, i) => {
        const operand = operands[i] as (typeof operands)[number];
        const passed = checked(value, typeOf(operand).type, () => labelOf(operand));
        if (passed === null)
          throw new GemachError("VALUE_UNFIT", { column: labelOf(operand), expected: "a value", got: "null" });
        return passed;
      });
    });
    return predicate({ kind: "inRows", operands, rows: list });
  };
  return {
    oneOf,
    notOneOf: (rows) => predicate({ kind: "not", item: nodeOf(oneOf(rows)) }),
  };
}
