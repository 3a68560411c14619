/** The rule for reading what a query has not brought, on a live entity. */
export type OutsideRule = "load" | "refuse" | "blank";

/** All of them. */
export const outsideRules: readonly OutsideRule[] = ["load", "refuse", "blank"];

/** The rules that a query says: for all relations and columns, and for some by name. */
export interface OutsideRules {
  readonly all: OutsideRule | undefined;
  readonly named: ReadonlyMap<string, OutsideRule>;
}
