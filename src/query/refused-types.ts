import type { OutsideRule } from "../ir/index.js";

declare const refusedKey: unique symbol;

/** Marks a row's type with the names that a live entity of it refuses to read, after `.outside("refuse")`. */
export interface Refusing<N extends PropertyKey> {
  /** For the types only: objects, since what several calls say then adds up. @internal */
  readonly [refusedKey]?: { readonly [P in N]: true } | undefined;
}

/** in: a row that a query brings; out: the names that are refused where it does not bring them. */
export type RefusedNames<Row> = typeof refusedKey extends keyof Row
  ? Row extends { readonly [refusedKey]?: infer Names | undefined }
    ? keyof NonNullable<Names>
    : never
  : never;

/**
 * in: a row, a rule, the names that it is for, and all there are, for which it is without names; out: the row, as the
 * rule leaves it.
 */
export type Ruled<Row, R extends OutsideRule, N extends PropertyKey, All extends PropertyKey> = [N] extends [never]
  ? RuledFor<Row, R, All>
  : RuledFor<Row, R, N>;

type RuledFor<Row, R extends OutsideRule, N extends PropertyKey> = [R] extends ["refuse"]
  ? Row & Refusing<N>
  : typeof refusedKey extends keyof Row
    ? Omit<Row, typeof refusedKey> & Refusing<Exclude<RefusedNames<Row>, N>>
    : Row;
