import type { Cardinality, Holder } from "./relation.js";
import type { StandardSchema } from "./standard-schema.js";
import type { Strategy } from "./strategy.js";
import type { ColumnKind, Scalar, ValueType } from "./value-type.js";

/** A column with everything settled: what the rooms to the right work with. */
export interface ResolvedColumn {
  /** The entity's name, for messages. */
  readonly entity: string;
  /** The name that code uses: "name", "address.street". */
  readonly property: string;
  /** The name in the table. */
  readonly name: string;
  readonly kind: ColumnKind;
  readonly type: ValueType;
  /** Whether it may hold null, be it because the value object that it is part of is missing. */
  readonly isNullable: boolean;
  /** Whether there is always a value where its value object is there. */
  readonly isRequired: boolean;
  readonly isKey: boolean;
  readonly isUnique: boolean;
  readonly isHeavy: boolean;
  /** What the table's definition has for rows that leave it out. */
  readonly defaultValue: Scalar | undefined;
  /** Makes the value of a new row that leaves it out. */
  readonly initial: (() => unknown) | undefined;
  /** What its values must meet besides being of its kind. */
  readonly schema: StandardSchema | undefined;
  /** Collations by the name of the dialect. */
  readonly collations: Readonly<Record<string, string>>;
}

/** A column, or a value object of several. */
export type ResolvedMember = ResolvedColumn | ResolvedValue;

/** A value object with everything settled. */
export interface ResolvedValue {
  readonly fields: ReadonlyMap<string, ResolvedMember>;
  /** Columns all of which hold null where there is no such value; undefined where there always is one. */
  readonly presence: readonly ResolvedColumn[] | undefined;
}

/** Two columns that hold equal values where a relation holds. */
export interface KeyPair {
  /** Of the entity that has the relation. */
  readonly from: ResolvedColumn;
  /** Of the target. */
  readonly to: ResolvedColumn;
}

/** A column of the target and the value that a relation wants there; null: none. */
export interface OwnCondition {
  readonly column: ResolvedColumn;
  readonly value: Scalar;
}

/** A column of the target that a relation sorts by. */
export interface OwnOrder {
  readonly column: ResolvedColumn;
  readonly descending: boolean;
}

/** One step over a key, from an entity to another. */
export interface Step {
  readonly name: string;
  readonly cardinality: Cardinality;
  readonly holder: Holder;
  readonly source: ResolvedEntity;
  readonly target: ResolvedEntity;
  readonly pairs: readonly KeyPair[];
  /** Whether the row of a to-one step may be missing. */
  readonly mayBeMissing: boolean;
  readonly conditions: readonly OwnCondition[];
  readonly order: readonly OwnOrder[];
  /** Whether the database has a foreign key for it. */
  readonly isBacked: boolean;
}

/** A relation with everything settled: one step, or several one after the other. */
export interface ResolvedRelation {
  readonly name: string;
  readonly cardinality: Cardinality;
  readonly source: ResolvedEntity;
  readonly target: ResolvedEntity;
  readonly steps: readonly [Step, ...Step[]];
  readonly strategy: Strategy | undefined;
}

/** An index over several columns with everything settled. */
export interface ResolvedIndex {
  readonly parts: readonly { readonly column: ResolvedColumn; readonly descending: boolean }[];
  readonly isUnique: boolean;
  /** Only rows that fulfil these are in it. */
  readonly conditions: readonly OwnCondition[];
}

/** An entity with everything settled. */
export interface ResolvedEntity {
  /** Columns and value objects, as code sees them. */
  readonly members: ReadonlyMap<string, ResolvedMember>;
  readonly name: string;
  readonly table: string;
  readonly schema: string | undefined;
  /** Every column by its path: "name", "address.street". */
  readonly columns: ReadonlyMap<string, ResolvedColumn>;
  readonly key: readonly ResolvedColumn[];
  readonly relations: ReadonlyMap<string, ResolvedRelation>;
  readonly indexes: readonly ResolvedIndex[];
  readonly isReadOnly: boolean;
  /** Makes what code gets of a plain row, where that is not the plain row itself. */
  readonly make: ((row: object) => object) | undefined;
}

/** "Loan.due": how messages name a column or relation. */
export const qualified = (member: { readonly entity: string; readonly property: string }): string =>
  `${member.entity}.${member.property}`;
