import { type ColumnKind, comparedKindsThat, type ValueType } from "../columns/index.js";
import { type Built, call, constant, nodeKey, operandOf } from "./built.js";
import type { ArithmeticCall } from "./calls.js";
import { typeOf } from "./node.js";

const numbers = comparedKindsThat(({ isNumber }) => isNumber);
/** Numbers without rounding errors. */
const precise = numbers.filter((kind) => kind !== "double");
const textable = comparedKindsThat(({ isTextable }) => isTextable);

/** An operand of a decimal has as many digits as it is written with, not those of the column beside it. */
function literalType(type: ValueType, value: unknown): ValueType {
  if (type.kind !== "numeric") return { kind: type.kind === "identity" ? "integer" : type.kind };
  const [whole = "", fraction = ""] = typeof value === "string" ? value.replace(/^[+-]/, "").split(".") : [];
  const scale = Math.min(fraction.length, 38);
  return { kind: "numeric", precision: Math.min(65, Math.max(1, whole.length + scale)), scale };
}

/** What a sum or product of decimals needs; engines hold 65 digits at most. */
function resultType(left: ValueType, right: ValueType, name: ArithmeticCall): ValueType {
  if (left.kind !== "numeric") return literalType(left, undefined);
  const [s1 = 0, s2 = 0, p1 = 1, p2 = 1] = [left.scale, right.scale, left.precision, right.precision];
  const scale = name === "times" ? s1 + s2 : Math.max(s1, s2);
  const precision = name === "times" ? p1 + p2 : Math.max(p1 - s1, p2 - s2) + scale + 1;
  return { kind: "numeric", precision: Math.min(65, precision), scale: Math.min(38, scale) };
}

function binary(self: Built, name: ArithmeticCall, kinds: readonly ColumnKind[], value: unknown): Built {
  const { type } = typeOf(self[nodeKey]);
  const right = operandOf(self[nodeKey], value, literalType(type, value));
  const result = resultType(type, typeOf(right).type, name);
  return call(self, name, kinds, [right], result, name === "dividedBy" || name === "remainder");
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

/** Digits before the point of what is cast to a decimal. */
const wholeDigits: Partial<Record<ColumnKind, number>> = { integer: 10, identity: 10, bigint: 19 };

/** What numbers can be asked. */
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
  dividedBy(this: Built, value: unknown) {
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
    return call(this, "rounded", ["double", "numeric"], [constant(digits, "integer")], result);
  },
  asBigint(this: Built) {
    return cast(this, ["integer"], { kind: "bigint" });
  },
  asDouble(this: Built) {
    return cast(this, precise, { kind: "double" });
  },
  asNumeric(this: Built, scale = 0) {
    const { type } = typeOf(this[nodeKey]);
    const precision = (wholeDigits[type.kind] ?? (type.precision ?? 1) - (type.scale ?? 0)) + scale;
    return cast(this, precise, { kind: "numeric", precision, scale });
  },
  asText(this: Built) {
    return cast(this, textable, { kind: "text" });
  },
};
