import { type ColumnKind, comparedKind, comparedKindsThat, digitsOf, type ValueType } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { type arithmeticCalls, type Node, typeOf } from "../ir/index.js";
import { Built, call, nodeKey, operandOf, shapingNumber } from "./built.js";

const numbers = comparedKindsThat(({ isNumber }) => isNumber);
type ArithmeticCall = keyof typeof arithmeticCalls;
/** Numbers without rounding errors. */
const precise: readonly ColumnKind[] = numbers.filter((kind) => kind !== "double");
const textable = comparedKindsThat(({ isTextable }) => isTextable);

/** An operand of a decimal has as many digits as it is written with, not those of the column beside it. */
function literalType(type: ValueType, value: unknown): ValueType {
  if (type.kind !== "numeric") return { kind: type.kind === "identity" ? "integer" : type.kind };
  const [whole = "", fraction = ""] = typeof value === "string" ? value.replace(/^[+-]/, "").split(".") : [];
  const scale = Math.min(fraction.length, 38);
  return { kind: "numeric", precision: Math.min(65, Math.max(1, whole.length + scale)), scale };
}

/**
 * What a sum, product or quotient needs: decimals beside whole numbers are decimals; engines hold 65 digits at most.
 */
function resultType(left: ValueType, right: ValueType, name: ArithmeticCall, quotient?: number): ValueType {
  const kinds = [left.kind, right.kind];
  if (!kinds.includes("numeric") && quotient === undefined)
    return kinds.includes("bigint") ? { kind: "bigint" } : literalType(left, undefined);
  const [[p1, s1], [p2, s2]] = [digitsOf(left), digitsOf(right)];
  const scale = quotient ?? (name === "times" ? s1 + s2 : Math.max(s1, s2));
  const precision = { times: p1 + p2, dividedBy: p1 - s1 + s2 + scale }[name as string];
  const sum = Math.max(p1 - s1, p2 - s2) + scale + 1;
  return { kind: "numeric", precision: Math.min(65, precision ?? sum), scale: Math.min(38, scale) };
}

/** An operand of arithmetic: a value of the same kind, or any expression whose values are as exact. */
function exactOperand(self: Built, value: unknown): Node {
  const { type } = typeOf(self[nodeKey]);
  const isExact = (kind: ColumnKind) => precise.includes(comparedKind(kind));
  if (value instanceof Built && isExact(type.kind) && isExact(typeOf(value[nodeKey]).type.kind)) return value[nodeKey];
  return operandOf(self[nodeKey], value, literalType(type, value));
}

function binary(self: Built, name: ArithmeticCall, kinds: readonly ColumnKind[], value: unknown): Built {
  const { type } = typeOf(self[nodeKey]);
  const right = exactOperand(self, value);
  const result = resultType(type, typeOf(right).type, name);
  return call(self, name, kinds, [right], result, name === "dividedBy" || name === "remainder");
}

/** An exact quotient. Dividend and divisor are as they are; the type of the result says how it is rounded. */
function quotient(self: Built, value: unknown, scale: unknown): Built {
  if (!(typeof scale === "number" && Number.isInteger(scale) && scale >= 0 && scale <= 18))
    throw new GemachError("VALUE_UNFIT", { column: "dividedBy()", expected: "a scale from 0 to 18", got: "another" });
  const right = exactOperand(self, value);
  const result = resultType(typeOf(self[nodeKey]).type, typeOf(right).type, "dividedBy", scale);
  return call(self, "dividedBy", precise, [right], result, true);
}

const unary = (name: ArithmeticCall, kinds: readonly ColumnKind[] = numbers) =>
  function (this: Built): Built {
    return call(this, name, kinds, [], plainType(typeOf(this[nodeKey]).type));
  };

const plainType = ({ codec: _, ...type }: ValueType): ValueType =>
  type.kind === "identity" ? { kind: "integer" } : type;

function cast(self: Built, kinds: readonly ColumnKind[], type: ValueType): Built {
  return call(self, "cast", kinds, [], type);
}

/** Methods of numbers. */
export const numberMethods = {
  plus(this: Built, value: unknown) {
    return binary(this, "plus", numbers, value);
  },
  minus(this: Built, value: unknown) {
    return binary(this, "minus", numbers, value);
  },
  times(this: Built, value: unknown) {
    return binary(this, "times", numbers, value);
  },
  dividedBy(this: Built, value: unknown, to?: { readonly scale: number }) {
    if (to !== undefined) return quotient(this, value, to.scale);
    return binary(this, "dividedBy", ["integer", "bigint", "double"], value);
  },
  remainder(this: Built, value: unknown) {
    return binary(this, "remainder", ["integer", "bigint"], value);
  },
  negated: unary("negated"),
  absolute: unary("absolute"),
  floor: unary("floor", ["double"]),
  ceiling: unary("ceiling", ["double"]),
  rounded(this: Built, digits = 0) {
    const { type } = typeOf(this[nodeKey]);
    const result: ValueType =
      type.kind === "numeric" ? { ...plainType(type), scale: Math.min(digits, type.scale ?? 0) } : type;
    return call(this, "rounded", ["double", "numeric"], [shapingNumber(digits)], result);
  },
  asBigint(this: Built) {
    return cast(this, ["integer"], { kind: "bigint" });
  },
  asDouble(this: Built) {
    return cast(this, precise, { kind: "double" });
  },
  asNumeric(this: Built, scale = 0) {
    const { type } = typeOf(this[nodeKey]);
    const [digits, fraction] = digitsOf(type);
    const precision = digits - fraction + scale;
    return cast(this, precise, { kind: "numeric", precision, scale });
  },
  asText(this: Built) {
    return cast(this, textable, { kind: "text" });
  },
};
