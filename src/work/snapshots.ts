import { type ColumnKind, canonicalOf, decoderFor, type Scalar, type ValueType } from "../columns/index.js";
import { type ResolvedColumn, type ResolvedMember, valueAt } from "../ir/index.js";
import type { LiveObject, LiveState, Snapshot } from "../live/index.js";
import { placeAt } from "./place-at.js";

/** Kinds whose values are numbers, texts and the like, unless a codec makes something of them. */
const plainKinds: ReadonlySet<ColumnKind> = new Set<ColumnKind>([
  ...(["identity", "integer", "bigint", "double", "numeric", "text", "varchar", "choice"] as const),
  ...(["boolean", "date", "time", "localTimestamp", "uuid"] as const),
]);

const isPlain = ({ kind, codec }: ValueType): boolean => codec === undefined && plainKinds.has(kind);

const bytesPrint: Snapshot = {
  of: (value) => (value instanceof Uint8Array ? value.slice() : value),
  isSame: (value, snapshot) =>
    value === snapshot ||
    (value instanceof Uint8Array &&
      snapshot instanceof Uint8Array &&
      value.length === snapshot.length &&
      value.every((byte, i) => byte === snapshot[i])),
  back: (snapshot) => (snapshot instanceof Uint8Array ? snapshot.slice() : snapshot),
};

/** What a value is in the form for dialects, as something that `===` compares. */
function textOf(value: unknown, type: ValueType): unknown {
  if (value === null || value === undefined) return value;
  if (value instanceof Date) return value.getTime();
  if (type.codec === undefined && type.kind === "json") return contentOf(value);
  const canonical = canonicalOf(value, type);
  if (Array.isArray(canonical)) return contentOf(canonical);
  // What its kind does not take is refused when it is written; until then it is another value.
  if (canonical === undefined && type.kind === "list") return contentOf(value);
  return canonical instanceof Uint8Array ? canonical.join() : canonical;
}

/** The value that a text was made of. */
function valueOfText(text: unknown, type: ValueType): unknown {
  if (text === null || text === undefined) return text;
  if (type.codec === undefined && type.kind === "json") return JSON.parse(text as string);
  if (type.kind === "list") {
    const canonical = contentIn(text as string) as Scalar;
    return decoderFor(type)?.(canonical) ?? canonical;
  }
  if (typeof text === "number" && type.codec === undefined && type.kind === "timestamp") return new Date(text);
  const isBytes = type.kind === "bytes" && typeof text === "string";
  const canonical = isBytes ? Uint8Array.from(text === "" ? [] : text.split(","), Number) : text;
  return decoderFor(type)?.(canonical as Scalar) ?? canonical;
}

/** JSON in which whole numbers of 64 bits and bytes are told from texts. */
const contentOf = (value: unknown): string =>
  JSON.stringify(value, (_, part: unknown) => {
    if (typeof part === "bigint") return { bigint: String(part) };
    return part instanceof Uint8Array ? { bytes: [...part] } : part;
  });

/** What such JSON was made of, of texts, numbers, truth values, whole numbers, bytes, and lists of these. */
const contentIn = (text: string): unknown =>
  JSON.parse(text, (_, part: unknown) => {
    if (typeof part !== "object" || part === null || Array.isArray(part)) return part;
    const { bigint, bytes } = part as { readonly bigint?: string; readonly bytes?: readonly number[] };
    return bigint === undefined ? Uint8Array.from(bytes ?? []) : BigInt(bigint);
  });

/** Leaves of a value object, with the names that lead to them. */
function leavesOf(
  fields: ReadonlyMap<string, ResolvedMember>,
  at: readonly string[],
): (readonly [readonly string[], ResolvedColumn])[] {
  return [...fields].flatMap(([name, member]) =>
    "fields" in member ? leavesOf(member.fields, [...at, name]) : [[[...at, name], member] as const],
  );
}

const byText = (text: (value: unknown) => unknown, back: (snapshot: unknown) => unknown): Snapshot => ({
  of: text,
  isSame: (value, snapshot) => Object.is(text(value), snapshot),
  back,
});

const asIs = (value: unknown): unknown => value;

/** How a member's values are compared; undefined where `===` does. */
export function snapshotOf(member: ResolvedMember): Snapshot | undefined {
  if (!("fields" in member)) {
    const { type } = member;
    if (isPlain(type)) return type.kind === "double" ? byText(asIs, asIs) : undefined;
    if (type.kind === "bytes" && type.codec === undefined) return bytesPrint;
    return byText(
      (value) => textOf(value, type),
      (snapshot) => valueOfText(snapshot, type),
    );
  }
  const leaves = leavesOf(member.fields, []);
  const text = (value: unknown) =>
    value === null || value === undefined
      ? value
      : contentOf(leaves.map(([steps, { type }]) => textOf(valueAt(value as object, steps), type) ?? null));
  const back = (snapshot: unknown): unknown => {
    if (typeof snapshot !== "string") return snapshot;
    const parts = contentIn(snapshot) as unknown[];
    const value = {};
    for (const [i, [steps, { type }]] of leaves.entries()) placeAt(value, steps, valueOfText(parts[i], type));
    return value;
  };
  return {
    ...byText(text, back),
    same: (value, snapshot) => {
      const now = text(value);
      if (typeof now !== "string" || typeof snapshot !== "string") return [];
      const [parts, before] = [JSON.parse(now) as unknown[], JSON.parse(snapshot) as unknown[]];
      return leaves.flatMap(([, column], i) => (contentOf(parts[i]) === contentOf(before[i]) ? [column] : []));
    },
  };
}

/**
 * A row in the form in which later changes do not reach it; the row itself where nothing of it could be changed in
 * place.
 */
export function snapshotOfRow({ kind: { snapshots } }: LiveState, row: LiveObject): LiveObject {
  if (snapshots.size === 0) return row;
  const copy = { ...row };
  for (const [name, snapshot] of snapshots) if (name in copy) copy[name] = snapshot.of(copy[name]);
  return copy;
}
