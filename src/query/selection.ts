import type { Absent, Expression } from "../expression/index.js";
import type { Fault, SetNode } from "../ir/index.js";

declare const collectedRow: unique symbol;
const collectionKey: unique symbol = Symbol("gemach.collection");

/** A list of related rows inside of a projection. */
export interface Collection<out Row> {
  /** For the types only. @internal */
  readonly [collectedRow]: Row;
}

/** A projection: an expression, a list of related rows, or an object of such, of any depth. */
export type Selection = Expression | Collection<unknown> | SelectionObject;

/** An object of what a projection may give. */
export interface SelectionObject {
  readonly [name: string]: Selection;
  /** For the types only: no row by itself. @internal */
  readonly [unselected]?: never;
}

declare const unselected: unique symbol;

/**
 * For the types only: what the compiler says where a row, or a set of rows, stands for what is selected of it.
 * @internal
 */
export interface Unselected<Message extends string> {
  readonly [unselected]: Fault<Message>;
}

/** in: a projection's result; out: the type of its rows. */
export type Selected<S> =
  S extends Expression<infer V>
    ? V
    : S extends Collection<infer Row>
      ? Row[]
      : S extends Absent
        ? { -readonly [P in keyof S & string]: Selected<S[P]> } | null
        : { -readonly [P in keyof S]: Selected<S[P]> };

/** The rows of a set, and what a projection gives of each. */
interface Collected {
  readonly set: SetNode;
  readonly selection: unknown;
}

/** A set's rows, with what a projection's function gave for one of them. */
export const collection = (set: SetNode, selection: unknown): { readonly [collectionKey]: Collected } => ({
  [collectionKey]: { set, selection },
});

/** What a list of related rows is made of; undefined for anything else. */
export const collectedIn = (value: unknown): Collected | undefined =>
  typeof value === "object" && value !== null
    ? (value as { readonly [collectionKey]?: Collected })[collectionKey]
    : undefined;
