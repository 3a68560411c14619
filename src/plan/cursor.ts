import { canonicalOf, comparedKind, platform, type Scalar, type ValueType } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { type Hole, type Node, nodeText, type OrderNode, type Source, typeOf, valueNode } from "../ir/index.js";

/** The place of a row in an order: its values by which rows are sorted. */
type Values = readonly Scalar[];

const nameOf = ({ entity }: Source): string => entity.name;

/** What an order is known by, so that a cursor of another one is refused. */
const fingerprint = (order: readonly OrderNode[]): string => {
  const text = order
    .map(({ node, descending, nulls }) => `${nodeText(node, nameOf)} ${typeOf(node).type.kind} ${descending} ${nulls}`)
    .join();
  let hash = 0;
  for (let i = 0; i < text.length; i++) hash = (Math.imul(hash, 31) + text.charCodeAt(i)) | 0;
  return (hash >>> 0).toString(36);
};

/** Texts in base 64 with the letters that need no escape in an address (RFC 4648, section 5). */
const toBase64 = (text: string): string => {
  const bytes = encodeURIComponent(text).replace(/%(..)/g, (_, hex: string) => String.fromCharCode(Number(`0x${hex}`)));
  return platform.btoa(bytes).replaceAll("+", "-").replaceAll("/", "_").replaceAll("=", "");
};

const fromBase64 = (text: string): string => {
  const bytes = platform.atob(text.replaceAll("-", "+").replaceAll("_", "/"));
  return decodeURIComponent([...bytes].map((byte) => `%${byte.charCodeAt(0).toString(16).padStart(2, "0")}`).join(""));
};

/** A row's place in an order, as a text for whoever asks for the rows after it. */
export const cursorOf = (order: readonly OrderNode[], values: Values): string =>
  toBase64(
    JSON.stringify([
      fingerprint(order),
      ...values.map((value) => {
        if (value instanceof Uint8Array) return platform.btoa(String.fromCharCode(...value));
        return typeof value === "bigint" ? value.toString() : value;
      }),
    ]),
  );

function bytesIn(text: string): Uint8Array | undefined {
  try {
    return Uint8Array.from(platform.atob(text), (unit) => unit.charCodeAt(0));
  } catch {
    return undefined;
  }
}

const plainType = ({ codec: _, ...type }: ValueType): ValueType => type;

/** A value of a cursor, of the type that the order has in its place. */
function valueIn(given: unknown, type: ValueType): Scalar | undefined {
  if (given === null) return null;
  const own = plainType(type);
  const isDigits = type.kind === "bigint" && typeof given === "string" && /^-?\d{1,19}$/.test(given);
  if (type.kind === "bytes") return typeof given === "string" ? bytesIn(given) : undefined;
  // A text has no limit of its own in an order, and a choice may be a text of former times.
  const checked = comparedKind(type.kind) === "text" ? ({ kind: "text" } as const) : own;
  return canonicalOf(isDigits ? BigInt(given) : given, type.kind === "timestamp" ? { ...own, isText: true } : checked);
}

/**
 * What a cursor says of an order.
 * @throws GemachError `CURSOR_UNFIT` where it is none, or one of another order.
 */
export function valuesInCursor(cursor: unknown, order: readonly OrderNode[]): Values {
  const unfit = (reason: string) => new GemachError("CURSOR_UNFIT", { reason });
  let parts: unknown;
  try {
    parts = JSON.parse(fromBase64(cursor as string));
  } catch {
    throw unfit("it cannot be read");
  }
  if (!Array.isArray(parts) || parts[0] !== fingerprint(order) || parts.length !== order.length + 1)
    throw unfit("it is of a query with another order");
  return order.map(({ node }, i) => {
    const value = valueIn(parts[i + 1], typeOf(node).type);
    if (value === undefined) throw unfit("a value in it is not of its column's kind");
    return value;
  });
}

const missing = (operand: Node): Node => ({ kind: "isNull", operand });
const never: Node = { kind: "logic", operator: "or", items: [] };
const all = (...items: Node[]): Node => ({ kind: "logic", operator: "and", items });
const any = (...items: Node[]): Node => ({ kind: "logic", operator: "or", items });

/** Whether rows without a value come last: as usual in descending order, unless the order says otherwise. */
const endsWithNulls = ({ descending, nulls }: OrderNode): boolean =>
  nulls === undefined ? descending : nulls === "last";

/** A value of a place as it stands in a condition; undefined where there is none. */
type CursorValue = Node | undefined;

/** Rows whose value comes after another. */
function comesAfter(term: OrderNode, given: CursorValue): Node {
  const { node, descending } = term;
  const isLast = endsWithNulls(term);
  if (given === undefined) return isLast ? never : { kind: "not", item: missing(node) };
  const compared: Node = { kind: "compare", comparison: descending ? "below" : "above", left: node, right: given };
  return isLast && typeOf(node).isNullable ? any(compared, missing(node)) : compared;
}

const isSame = (node: Node, given: CursorValue): Node =>
  given === undefined ? missing(node) : { kind: "compare", comparison: "equal", left: node, right: given };

/** The condition that rows come after a place in an order, whose values are known now or given later. */
export function afterPlace(values: readonly (Scalar | Hole | undefined)[], sorted: readonly OrderNode[]): Node {
  return sorted.reduceRight<Node>((rest, term, i) => {
    const value = values[i];
    const type = plainType(typeOf(term.node).type);
    const isHole = typeof value === "object" && value !== null && "hole" in value;
    const given: CursorValue = isHole
      ? { kind: "hole", type, hole: value.hole }
      : value === null || value === undefined
        ? undefined
        : valueNode(value, type);
    const after = comesAfter(term, given);
    return rest === never ? after : any(after, all(isSame(term.node, given), rest));
  }, never);
}

/** Reverses an order. */
export const reversed = (order: readonly OrderNode[]): readonly OrderNode[] =>
  order.map((term) => {
    const { node, descending, nulls } = term;
    const other = endsWithNulls(term) ? "first" : "last";
    return { node, descending: !descending, nulls: nulls === undefined ? undefined : other };
  });
