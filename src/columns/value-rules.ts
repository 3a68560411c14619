import { GemachError } from "../errors/index.js";
import { derived } from "./derived.js";
import { canonicalInstant, canonicalLocal, canonicalTime, isDay, shortTime } from "./instant.js";
import { kinds } from "./kinds.js";
import type { Codec, ColumnKind, Scalar, ValueType } from "./value-type.js";

/** Makes the form for dialects of a value; undefined where it does not fit. */
export type Encoder = (value: unknown) => Scalar | undefined;

/** The rules of a kind: its words, and the values that a type of it accepts. */
interface Rule {
  readonly expected: (type: ValueType) => string;
  readonly encoder: (type: ValueType) => Encoder;
  /** Makes the code's value of that form; undefined where it is the same. */
  readonly value?: (type: ValueType) => ((canonical: Scalar) => unknown) | undefined;
}

const whole: Rule = {
  expected: () => "a whole number of 32 bits",
  encoder: () => (value) =>
    typeof value === "number" && Number.isInteger(value) && value >= -2_147_483_648 && value <= 2_147_483_647
      ? value + 0 // a negative zero becomes a plain one
      : undefined,
};

const limits = { least: -(2n ** 63n), most: 2n ** 63n - 1n };

/** Digits with all of their scale, without leading zeros or a negative zero: "-12.50". */
const canonicalDecimal =
  ({ precision = 0, scale = 0 }: ValueType): Encoder =>
  (value) => {
    const text = typeof value === "bigint" ? value.toString() : value;
    const match = typeof text === "string" ? /^([+-]?)0*(\d*)(?:\.(\d*))?$/.exec(text) : null;
    if (match === null || !/\d/.test(text as string)) return undefined;
    const [, sign, digits = "", given = ""] = match;
    const fraction = given.replace(/0+$/, "");
    if (fraction.length > scale || digits.length > precision - scale) return undefined;
    const number = `${digits === "" ? "0" : digits}${scale === 0 ? "" : `.${fraction.padEnd(scale, "0")}`}`;
    return sign === "-" && /[1-9]/.test(number) ? `-${number}` : number;
  };

/** A text without lone surrogates, which no encoding holds, and without NUL, which PostgreSQL does not. */
const isStorable = (value: unknown): value is string =>
  typeof value === "string" && !value.includes("\0") && isWellFormed(value);

const loneSurrogate = /[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/;

/** ECMAScript 2024 has it; a pattern takes several times as long. */
const isWellFormed: (text: string) => boolean =
  "isWellFormed" in String.prototype
    ? (text) => (text as string & { isWellFormed(): boolean }).isWellFormed()
    : (text) => !loneSurrogate.test(text);

const text: Encoder = (value) => (isStorable(value) ? value : undefined);

function jsonText(value: unknown): string | undefined {
  try {
    const made = JSON.stringify(value);
    return made === undefined || /\\u0000/.test(made.replaceAll("\\\\", "")) ? undefined : made;
  } catch {
    return undefined;
  }
}

const longDigits = /(?:^|[[,:\s])-?\d{16,}(?=[\],}\s]|$)/;

/** The value of JSON text; a whole number that a JavaScript number does not hold is refused. */
function parsedJson(text: string): unknown {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw new GemachError("VALUE_UNREADABLE", { kind: "json" });
  }
  if (longDigits.test(text) && !isExact(text)) throw new GemachError("VALUE_LOSSY", { kind: "json" });
  return value;
}

/** The digits that tell a number from others, which is how one that is no whole number by its maker is written. */
const shortest = (number: number): string => Math.abs(number).toExponential().replace(/e.*$/, "").replace(".", "");

/** Whether each whole number outside of JSON's texts is one that a JavaScript number holds. */
function isExact(text: string): boolean {
  const bare = text.replace(/"(?:[^"\\]|\\.)*"/g, '""');
  return [...bare.matchAll(/(?<![\d.eE+-])-?\d{16,}(?![\d.eE])/g)].every(
    ([digits]) =>
      BigInt(Number(digits)) === BigInt(digits) || shortest(Number(digits)) === digits.replace(/^-|0+$/g, ""),
  );
}

/** A Date holds milliseconds: a text with more than that is taken only where code sees texts. */
const instant =
  ({ isText }: ValueType): Encoder =>
  (value) => {
    if (value instanceof Date) return Number.isNaN(value.getTime()) ? undefined : canonicalInstant(value.toISOString());
    const canonical = typeof value === "string" ? canonicalInstant(value) : undefined;
    return isText === true || canonical?.endsWith("000Z") === true ? canonical : undefined;
  };

const dateOf = (canonical: string): Date => new Date(`${canonical.slice(0, 23)}Z`);

const withoutPadding = (text: string): string => text.replace(/ +$/, "");

/** Whether lists in a list are of one length, and not empty: an array has as many elements in each of its rows. */
function isEven(values: readonly unknown[], { kind }: ValueType): boolean {
  if (kind !== "list") return true;
  const lengths = new Set(values.map((value) => (value as readonly unknown[] | null)?.length ?? 0));
  return values.length === 0 || (lengths.size === 1 && !lengths.has(0));
}

const rules: Record<ColumnKind, Rule> = {
  identity: whole,
  integer: whole,
  bigint: {
    expected: () => "a bigint of 64 bits",
    encoder: () => (value) =>
      typeof value === "bigint" && value >= limits.least && value <= limits.most ? value : undefined,
  },
  double: {
    expected: () => "a finite number",
    encoder: () => (value) => (typeof value === "number" && Number.isFinite(value) ? value + 0 : undefined),
  },
  numeric: {
    expected: ({ precision = 0, scale = 0 }) =>
      `a decimal as a string such as "12.50", of at most ${precision} digits with ${scale} after the point`,
    encoder: canonicalDecimal,
  },
  text: { expected: () => "a string without NUL", encoder: () => text },
  varchar: {
    expected: ({ length }) => `a string of at most ${length} characters, without NUL`,
    encoder:
      ({ length = 0, isPadded }) =>
      (value) => {
        if (!isStorable(value)) return undefined;
        const text = isPadded === true ? withoutPadding(value) : value;
        // A character is one or two of JavaScript's units.
        return text.length <= length || [...text].length <= length ? text : undefined;
      },
    value: ({ isPadded }) => (isPadded === true ? (canonical) => withoutPadding(canonical as string) : undefined),
  },
  choice: {
    expected: ({ choices = [] }) => `one of ${choices.map((choice) => `'${choice}'`).join(", ")}`,
    encoder:
      ({ choices = [] }) =>
      (value) =>
        choices.includes(value as string) ? (value as string) : undefined,
  },
  boolean: {
    expected: () => "true or false",
    encoder: () => (value) => (typeof value === "boolean" ? value : undefined),
  },
  date: {
    expected: () => "a day such as '2026-05-01'",
    encoder: () => (value) => (typeof value === "string" && isDay(value) ? value : undefined),
  },
  time: {
    expected: () => "a time of day such as '08:30:00'",
    encoder: () => (value) => (typeof value === "string" ? canonicalTime(value) : undefined),
    value: () => (canonical) => shortTime(canonical as string),
  },
  timestamp: {
    expected: ({ isText }) =>
      isText === true
        ? "an instant such as '2026-05-01T08:30:00Z'"
        : "a Date, or an instant such as '2026-05-01T08:30:00Z', to the millisecond",
    encoder: instant,
    value: ({ isText }) => (isText === true ? undefined : (canonical) => dateOf(canonical as string)),
  },
  localTimestamp: {
    expected: () => "a day and a time of day without a zone, such as '2026-05-01T08:30:00'",
    encoder: () => (value) => (typeof value === "string" ? canonicalLocal(value) : undefined),
    value: () => (canonical) => (canonical as string).replace(" ", "T"),
  },
  uuid: {
    expected: () => "a UUID",
    encoder: () => (value) =>
      typeof value === "string" && /^[\da-f]{8}-(?:[\da-f]{4}-){3}[\da-f]{12}$/i.test(value)
        ? value.toLowerCase()
        : undefined,
  },
  json: {
    expected: () => "what JSON can say",
    encoder: () => jsonText,
    value: () => (canonical) => parsedJson(canonical as string),
  },
  bytes: {
    expected: () => "bytes (a Uint8Array)",
    encoder: () => (value) => (value instanceof Uint8Array ? value : undefined),
  },
  list: {
    expected: ({ element }) =>
      `a list, each ${element === undefined ? "a value" : rules[element.kind].expected(element)}`,
    encoder: ({ element, hasNulls }) => {
      if (element === undefined) return () => undefined;
      const encode = encoderFor(element);
      return (value) => {
        if (!Array.isArray(value)) return undefined;
        const made = value.map((part) => (part === null && hasNulls === true ? null : encode(part)));
        return made.includes(undefined) || !isEven(made, element) ? undefined : (made as readonly Scalar[]);
      };
    },
    value: ({ element }) => {
      const decode = element === undefined ? undefined : decoderFor(element);
      if (decode === undefined) return undefined;
      return (canonical) => (canonical as readonly Scalar[]).map((part) => (part === null ? null : decode(part)));
    },
  },
};

/** Describes a value in words that do not show it. */
export function typeWord(value: unknown): string {
  switch (typeof value) {
    case "number":
      if (Number.isInteger(value)) return "a whole number";
      return Number.isFinite(value) ? "a number with a fraction" : "a number that is not finite";
    case "string":
      return value === "" ? "an empty text" : "a text";
    case "boolean":
      return "a truth value";
    case "object":
      if (value === null) return "null";
      if (Array.isArray(value)) return "a list";
      if (value instanceof Date) return Number.isNaN(value.getTime()) ? "an invalid Date" : "a Date";
      return "an object";
    case "undefined":
      return "undefined";
    default:
      return `a ${typeof value}`;
  }
}

/** Describes a value that a type refuses. */
export function unfitWord(value: unknown, { kind }: ValueType): string {
  const { isNumber, compared } = kinds[kind];
  if (typeof value === "number" && isNumber && Number.isInteger(value)) return "one outside of that range";
  return typeof value === "string" && compared === "text" ? "another text" : typeWord(value);
}

/** Describes the values that a type accepts. */
export const expectedOf = (type: ValueType): string => rules[type.kind].expected(type);

/**
 * Makes of a type's values the form for dialects; undefined of what it does not take; null and undefined are for the
 * caller. Made once a type.
 */
export const encoderFor = derived((type: ValueType): Encoder => {
  const { codec } = type;
  const plain = rules[type.kind].encoder(type);
  return codec === undefined ? plain : (value) => plain(encoded(codec, value));
});

/** One value in the form for dialects, or undefined where the type does not take it. */
export const canonicalOf = (value: unknown, type: ValueType): Scalar | undefined => encoderFor(type)(value);

/** A codec is asked about values that came in from outside too; what it cannot take does not fit. */
function encoded(codec: Codec<unknown, unknown>, value: unknown): unknown {
  try {
    return codec.encode(value);
  } catch {
    return undefined;
  }
}

/** Makes what code gets of the form for dialects; undefined where they are the same. */
export function decoderFor(type: ValueType): ((canonical: Scalar) => unknown) | undefined {
  const { codec } = type;
  const plain = rules[type.kind].value?.(type);
  if (codec === undefined) return plain;
  return plain === undefined ? (canonical) => codec.decode(canonical) : (canonical) => codec.decode(plain(canonical));
}

/**
 * A value in the form for dialects; null always passes.
 * @throws GemachError `VALUE_MISSING` for undefined, `VALUE_UNFIT` for what does not fit.
 */
export function checked(value: unknown, type: ValueType, label: string | (() => string)): Scalar {
  if (value === null) return null;
  const canonical = value === undefined ? undefined : canonicalOf(value, type);
  if (canonical !== undefined) return canonical;
  const column = typeof label === "string" ? label : label();
  if (value === undefined) throw new GemachError("VALUE_MISSING", { column });
  throw new GemachError("VALUE_UNFIT", { column, expected: expectedOf(type), got: unfitWord(value, type) });
}
