import { digitsOf, type Scalar, type ValueType } from "../../columns/index.js";
import type { CallName, MatchCall } from "../../ir/index.js";
import type { CallExpression } from "../tree/tree.js";
import type { Aggregates } from "./parts.js";

/** A call whose operands can be printed, any number of times: each time with parameters of its own. */
export interface PrintedCall {
  readonly node: CallExpression;
  /** The type of its value. */
  readonly type: ValueType;
  /** The type of an operand. */
  readonly of: (index: number) => ValueType;
  /** An operand between brackets of its own, such as those of a function. */
  readonly argument: (index: number) => string;
  /** An operand beside an operator. */
  readonly operand: (index: number) => string;
  /** All operands, with commas. */
  readonly all: () => string;
  /** A text of the printer's own, as a parameter. */
  readonly text: (value: string) => string;
}

/** Gives a call's text. */
export type CallPrinter = (call: PrintedCall) => string;

/** A function of all operands. */
export const named =
  (name: string): CallPrinter =>
  ({ all }) =>
    `${name}(${all()})`;

/** An operator between two operands. */
export const infix =
  (operator: string): CallPrinter =>
  ({ operand }) =>
    `${operand(0)} ${operator} ${operand(1)}`;

/** The value of an operand that the query itself says. */
function saidValue({ node }: PrintedCall, index: number): Scalar | undefined {
  const operand = node.operands[index];
  return operand?.kind === "literal" ? operand.value : undefined;
}

/** A number that shapes the text: positions and digits are part of what a query is, not of its data. */
export const structural = (call: PrintedCall, index: number): number => Number(saidValue(call, index) ?? 0);

/** The way into a document, as the query says it. */
export const wayOf = (call: PrintedCall): readonly (string | number)[] =>
  JSON.parse(String(saidValue(call, 1) ?? "[]")) as readonly (string | number)[];

/** Half away from zero, alike on every engine: their own functions round doubles each in its own way. */
function roundedDouble(call: PrintedCall): string {
  const digits = structural(call, 1);
  const factor = digits === 0 ? "" : `${10 ** digits}.0`;
  const scaled = factor === "" ? `abs(${call.argument(0)})` : `abs(${call.argument(0)}) * ${factor}`;
  return `sign(${call.argument(0)}) * floor(${scaled} + 0.5)${factor === "" ? "" : ` / ${factor}`}`;
}

/** A quotient; an exact one as the engine says it. A divisor of zero is missing. */
export const dividing =
  ({ quotient }: Pick<Aggregates, "quotient">, operator = "/"): CallPrinter =>
  ({ node, type, of, argument, operand }) => {
    const mayBeZero = node.operands[1]?.kind !== "literal" || Number(node.operands[1].value) === 0;
    const divisor = () => (mayBeZero ? `nullif(${argument(1)}, 0)` : argument(1));
    // Placeholders are counted in the order in which they are made.
    if (type.kind !== "numeric") return `${operand(0)} ${type.kind === "double" ? "/" : operator} ${divisor()}`;
    return quotient(argument(0), divisor(), type.scale as number, digitsOf(of(1))[0]);
  };

/** A day of the years 1 to 9999, "2026-05-01", as a regular expression of both servers. */
export const dayPattern =
  "^(?!0000)([0-9]{4}-((0[13578]|1[02])-(0[1-9]|[12][0-9]|3[01])|(0[469]|11)-(0[1-9]|[12][0-9]|30)|02-(0[1-9]|1[0-9]|2[0-8]))|([0-9]{2}(0[48]|[2468][048]|[13579][26])|([02468][048]|[13579][26])00)-02-29)$";

/** A whole number of at most 18 digits; and a decimal of at most so many digits before the point. */
export const wholePattern = "^[+-]?[0-9]{1,18}$";
export const decimalPattern = ({ precision = 1, scale = 0 }: ValueType): string =>
  `^[+-]?(?=[.]?[0-9])0*[0-9]{0,${precision - scale}}([.][0-9]*)?$`;

/** The texts that engines share, but for those that say a call in their own way. */
export const standardCalls = {
  plus: infix("+"),
  minus: infix("-"),
  times: infix("*"),
  remainder: ({ operand, argument }) => `${operand(0)} % nullif(${argument(1)}, 0)`,
  negated: ({ operand }) => `- ${operand(0)}`,
  absolute: named("abs"),
  rounded: (call) =>
    call.type.kind === "numeric" ? `round(${call.argument(0)}, ${structural(call, 1)})` : roundedDouble(call),
  floor: named("floor"),
  ceiling: named("ceil"),
  length: named("length"),
  trim: named("trim"),
  concat: ({ node, operand }) => node.operands.map((_, i) => operand(i)).join(" || "),
  substring: (call) => `substr(${call.argument(0)}, ${structural(call, 1)}, ${structural(call, 2)})`,
  replace: named("replace"),
  contains: ({ argument }) => `instr(${argument(0)}, ${argument(1)}) > 0`,
  endsWith: ({ argument, operand }) => `right(${argument(0)}, length(${argument(1)})) = ${operand(1)}`,
  like: infix("like"),
  plusDays: infix("+"),
  daysSince: infix("-"),
  coalesce: named("coalesce"),
  nullIf: named("nullif"),
  least: named("least"),
  greatest: named("greatest"),
} satisfies Partial<Record<CallName, CallPrinter>>;

/** Calls that no two engines say alike. */
type OwnCall = Exclude<CallName, keyof typeof standardCalls>;

/** The calls of an engine: all that have no text shared by engines, and any other. */
export type Calls = Readonly<Record<OwnCall, CallPrinter> & Partial<Record<CallName, CallPrinter>>>;

/** How an engine says a call. */
export const printerOf = (calls: Calls, call: CallName): CallPrinter =>
  calls[call] ?? ((standardCalls as Partial<Record<CallName, CallPrinter>>)[call] as CallPrinter);

/** Whether a printed call is closed in itself, so that it needs no brackets beside an operator. */
export function isClosed(text: string): boolean {
  if (/^(?:"[^"]*"|`[^`]*`|[\w.?$])+$/.test(text)) return true;
  if (!/^\w+\(/.test(text) || !text.endsWith(")")) return false;
  let depth = 0;
  for (let i = 0; i < text.length; i++) {
    if (text[i] === "(") depth++;
    else if (text[i] === ")" && --depth === 0) return i === text.length - 1;
  }
  return false;
}

/** A text in a pattern of `like` that stands for itself. */
const escaped = (text: Scalar): string => String(text).replace(/[\\%_]/g, "\\$&");

/** The pattern of `like` that a match with a known text is; undefined: `like` cannot express it. */
export const patterns: Readonly<Record<MatchCall, ((text: Scalar) => string) | undefined>> = {
  contains: (text) => `%${escaped(text)}%`,
  startsWith: (text) => `${escaped(text)}%`,
  endsWith: (text) => `%${escaped(text)}`,
  like: String,
};
