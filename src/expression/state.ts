import type { Node, OrderNode, ResolvedRelation, SetNode, Source } from "./resolved.js";
import type { Strategy } from "./strategy.js";
/** What a projection makes of a row: one value, or an object of such. */
export type Projection =
  | { readonly kind: "value"; readonly node: Node }
  /** Related rows as a list. */
  | { readonly kind: "rows"; readonly set: SetNode; readonly projection: Projection }
  | {
      readonly kind: "object";
      readonly fields: readonly (readonly [name: string, projection: Projection])[];
      /** Nodes that are all null where there is no such object; undefined where there always is one. */
      readonly presence: readonly Node[] | undefined;
    };

/** A relation that a query reaches, with the query of its target. */
export interface ReachedRelation {
  readonly relation: ResolvedRelation;
  readonly query: QueryState;
}

/** All that was said of a query. */
export interface QueryState {
  readonly source: Source;
  readonly where: readonly Node[];
  readonly orderBy: readonly OrderNode[];
  readonly limit: number | undefined;
  readonly offset: number | undefined;
  readonly reach: readonly ReachedRelation[];
  readonly projection: Projection | undefined;
  readonly strategy: Strategy | undefined;
}

/** A query of all rows of an entity. */
export const allOf = (source: Source): QueryState => ({
  source,
  where: [],
  orderBy: [],
  limit: undefined,
  offset: undefined,
  reach: [],
  projection: undefined,
  strategy: undefined,
});
