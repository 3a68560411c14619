import { typeWord, type ValueType } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import type { CallNode, MatchCall, Node, textCalls } from "../ir/index.js";
import { again, type Built, call, nodeKey, operandOf, predicateBy, shapingNumber } from "./built.js";

const textType = { kind: "text" } as const;
const texts = ["text"] as const;

const unary = (name: keyof typeof textCalls, type: ValueType = textType) =>
  function (this: Built): Built {
    return call(this, name, texts, [], type);
  };

const textOperand = (self: Built, value: unknown): Node => operandOf(self[nodeKey], value, textType);

/** A condition on a text; a text that is missing has nothing in it. */
function match(self: Built, name: MatchCall, value: unknown): Built {
  const found = call(self, name, texts, [textOperand(self, value)], { kind: "boolean" });
  return predicateBy(self, { ...(found[nodeKey] as CallNode), isNullable: false });
}

/** Methods of texts. */
export const textMethods = {
  contains(this: Built, value: unknown) {
    return match(this, "contains", value);
  },
  startsWith(this: Built, value: unknown) {
    return match(this, "startsWith", value);
  },
  endsWith(this: Built, value: unknown) {
    return match(this, "endsWith", value);
  },
  like(this: Built, pattern: unknown) {
    if (typeof pattern !== "string" || /(?<!\\)(?:\\\\)*\\$/.test(pattern))
      throw new GemachError("VALUE_UNFIT", {
        column: "like()",
        expected: "a pattern as a string, which does not end in a single backslash",
        got: typeof pattern === "string" ? "one that does" : typeWord(pattern),
      });
    return match(this, "like", pattern);
  },
  lower: unary("lower"),
  upper: unary("upper"),
  trim: unary("trim"),
  length: unary("length", { kind: "integer" }),
  concat(this: Built, ...values: readonly unknown[]) {
    const operands = values.map((value) => textOperand(this, value));
    return call(this, "concat", texts, operands, textType);
  },
  substring(this: Built, from: number, length: number) {
    if (!(Number.isInteger(from) && from >= 1 && Number.isInteger(length) && length >= 0))
      throw new GemachError("VALUE_UNFIT", {
        column: "substring()",
        expected: "a position of at least 1 and a length of at least 0",
        got: "others",
      });
    return call(this, "substring", texts, [shapingNumber(from), shapingNumber(length)], textType);
  },
  replace(this: Built, search: unknown, replacement: unknown) {
    const operands = [textOperand(this, search), textOperand(this, replacement)];
    return call(this, "replace", texts, operands, textType);
  },
  toInteger(this: Built) {
    return call(this, "parsedInteger", texts, [], { kind: "integer" }, true);
  },
  toNumeric(this: Built, precision: number, scale: number) {
    if (
      !(Number.isInteger(precision) && Number.isInteger(scale) && 0 <= scale && scale <= precision && precision <= 65)
    )
      throw new GemachError("VALUE_UNFIT", {
        column: "toNumeric()",
        expected: "at most 65 digits, and no more of them after the point",
        got: "others",
      });
    return call(this, "parsedNumeric", texts, [], { kind: "numeric", precision, scale }, true);
  },
  ignoringCase(this: Built) {
    return withoutCase(this);
  },
};

/** The predicates of a text for which capitals and small letters are the same: both sides are put in lower case. */
function withoutCase(self: Built): object {
  const lower = (node: Node): Built => textMethods.lower.call(again(self, node));
  const left = lower(self[nodeKey]) as Built & typeof textMethods & Record<string, (value: unknown) => Built>;
  const right = (value: unknown) => lower(textOperand(self, value));
  return {
    is: (value: unknown) => left.is?.(right(value)),
    isNot: (value: unknown) => left.isNot?.(right(value)),
    contains: (value: unknown) => left.contains(right(value)),
    startsWith: (value: unknown) => left.startsWith(right(value)),
    endsWith: (value: unknown) => left.endsWith(right(value)),
    get asc() {
      return left.asc;
    },
    get desc() {
      return left.desc;
    },
  };
}
