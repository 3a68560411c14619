import type { Cardinality } from "./relation.js";
import type { Strategy } from "./strategy.js";
import type { ColumnKind, Scalar, ValueType } from "./value-type.js";

/** A column with everything settled: what the rooms to the right work with. */
export interface ResolvedColumn {
  /** The entity's name, for messages. */
  readonly entity: string;
  /** The name that code uses. */
  readonly property: string;
  /** The name in the table. */
  readonly name: string;
  readonly kind: ColumnKind;
  readonly type: ValueType;
  readonly isNullable: boolean;
  readonly isKey: boolean;
  readonly isUnique: boolean;
  readonly isHeavy: boolean;
  /** What the table's definition has for rows that leave it out. */
  readonly defaultValue: Scalar | undefined;
  /** Makes the value of a new row that leaves it out. */
  readonly initial: (() => unknown) | undefined;
}

/** Two columns that hold equal values where a relation holds. */
export interface KeyPair {
  /** Of the entity that has the relation. */
  readonly from: ResolvedColumn;
  /** Of the target. */
  readonly to: ResolvedColumn;
}

/** A relation with everything settled. */
export interface ResolvedRelation {
  readonly name: string;
  readonly cardinality: Cardinality;
  readonly source: ResolvedEntity;
  readonly target: ResolvedEntity;
  readonly pairs: readonly KeyPair[];
  /** Whether the row of a to-one relation may be missing. */
  readonly mayBeMissing: boolean;
  readonly strategy: Strategy | undefined;
}

/** An entity with everything settled. */
export interface ResolvedEntity {
  readonly name: string;
  readonly table: string;
  readonly columns: ReadonlyMap<string, ResolvedColumn>;
  readonly key: readonly ResolvedColumn[];
  readonly relations: ReadonlyMap<string, ResolvedRelation>;
}

/** "Loan.due": how messages name a column or relation. */
export const qualified = (member: { readonly entity: string; readonly property: string }): string =>
  `${member.entity}.${member.property}`;
