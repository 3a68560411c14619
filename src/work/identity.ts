import { type ColumnKind, canonicalOf, derived } from "../columns/index.js";
import { type ResolvedColumn, type ResolvedEntity, valueAt } from "../ir/index.js";

/** Kinds of which a value is written in one way alone. */
const written: ReadonlySet<ColumnKind> = new Set<ColumnKind>([
  "identity",
  "integer",
  "bigint",
  "text",
  "choice",
  "boolean",
  "date",
]);

/**
 * Makes of a key's value in code what is equal for values that are stored alike: "08:30" and "08:30:00", two objects of
 * one class.
 */
type Form = (value: unknown) => unknown;

const asIs: Form = (value) => value;

const formOf = ({ kind, type }: ResolvedColumn): Form =>
  type.codec === undefined && written.has(kind)
    ? asIs
    : (value) => (value === null || value === undefined ? value : (canonicalOf(value, type) ?? value));

const formsOf = derived((entity: ResolvedEntity): readonly Form[] => entity.key.map(formOf));

/** A part of a key of several columns: its length tells where it ends, its type a number from its digits. */
function partText(value: unknown): string {
  const text = `${typeof value} ${String(value)}`;
  return `${text.length}:${text}`;
}

/**
 * What tells a row from the others of its entity, of values in code: equal for keys that are stored alike; undefined
 * where a part is missing.
 */
export function identityOf(entity: ResolvedEntity, row: object): unknown {
  const { key } = entity;
  const ofKey = formsOf(entity);
  if (key.length === 1) return (ofKey[0] as Form)(valueAt(row, (key[0] as ResolvedColumn).steps));
  let text = "";
  for (let i = 0; i < key.length; i++) {
    const value = (ofKey[i] as Form)(valueAt(row, (key[i] as ResolvedColumn).steps));
    if (value === undefined || value === null) return undefined;
    text += partText(value);
  }
  return key.length === 0 ? undefined : text;
}
