import type { ValueType } from "../columns/index.js";
import type {
  Cardinality,
  Hole,
  JoinNode,
  Node,
  OrderNode,
  Path,
  ResolvedColumn,
  ResolvedEntity,
  ResolvedRelation,
  RowLock,
  SetNode,
  Source,
  Step,
  Strategy,
} from "../ir/index.js";
import type { NestRules } from "./nesting.js";
import type { OwnerIndex } from "./owner-index.js";
/** A value in one column of a statement's rows. */
export type Output =
  | Node
  | { readonly kind: "rowCount" }
  | { readonly kind: "presence" }
  /**
   * What says to which owner a row belongs, where none of its own columns does: a column of the owner's key, or the
   * owner's position.
   */
  | { readonly kind: "owner"; readonly part: number; readonly type: ValueType }
  | NestedOutput;

/** The rows of a set as one JSON value: a list of lists. */
export interface NestedOutput {
  readonly kind: "nested";
  readonly set: SetNode;
  readonly outputs: readonly Output[];
}

/** How the values of one row become what the user gets. Slots are places in the row. */
export type Shape =
  | { readonly kind: "value"; readonly slot: number; readonly type: ValueType; readonly isNullable: boolean }
  | {
      readonly kind: "object";
      readonly fields: readonly (readonly [name: string, shape: Shape])[];
      /** The slots that are all null where there is no such object; undefined where there always is one. */
      readonly presence: readonly number[] | undefined;
      /** Makes the object of its plain values; what else it has is assigned to what that gives. */
      readonly make?: ((row: object) => object) | undefined;
      /** How many of the fields are of the row itself; the others are its relations. */
      readonly own?: number;
      /** Of a row of an entity, whole or in part: the entity, and the slots of its primary key. */
      readonly row?: EntityRow;
    }
  /** A row that must be there: it is an error where its key has values and its presence has none. */
  | {
      readonly kind: "required";
      readonly row: Shape;
      readonly relation: ResolvedRelation;
      readonly keys: readonly number[];
      readonly presence: readonly number[];
    }
  /** Filled in later: by further rows of the statement, or by another statement. */
  | { readonly kind: "related"; readonly cardinality: RelatedCardinality };

/** Which entity's row an object is, and where its primary key stands. */
export interface EntityRow {
  readonly entity: ResolvedEntity;
  readonly key: readonly number[];
}

/** What a further statement brings: rows, one of them or many, or their number. */
export type RelatedCardinality = Cardinality | "count";

/** Where related rows are put: the object below the row, and its property. */
export interface Mount {
  /** Properties that lead from the row to the object; there may be null on the way. */
  readonly at: readonly string[];
  readonly property: string;
}

/** Related rows that come in the same statement, in rows of their own. */
export interface JoinedRows extends Mount {
  readonly rows: RowPlan;
}

/** Related rows that another statement fetches by the keys of this one's rows. */
export interface FollowUp extends Mount {
  readonly cardinality: RelatedCardinality;
  /** Slots of this statement's rows, and what they hold: the keys to send. */
  readonly keys: readonly number[];
  readonly keyColumns: readonly ResolvedColumn[];
  readonly statement: StatementPlan;
  /** The relation, where each key must lead to a row. */
  readonly required?: ResolvedRelation | undefined;
  /** Where it follows its own rows again: how often at most, and the slots of this one's primary key. */
  readonly levels?: { readonly most: number; readonly identity: readonly number[] };
}

/** Related rows that come inside of a row, as one JSON value. */
export interface NestedRows extends Mount {
  readonly slot: number;
  /** The types of what each of its rows has; undefined for rows that are nested in turn, or a number. */
  readonly types: readonly (ValueType | undefined)[];
  readonly rows: RowPlan;
}

/** What makes objects of rows, as the compiler that used the plan last has made it: all that changes of a plan. */
export interface Maker {
  of: object | undefined;
  make: unknown;
}

/** How rows of one source within a statement are assembled. */
export interface RowPlan {
  readonly shape: Shape;
  /** Slots that tell one row from another; needed where joined rows repeat it. */
  readonly identity: readonly number[];
  readonly joined: readonly JoinedRows[];
  readonly nested: readonly NestedRows[];
  readonly followUps: readonly FollowUp[];
  readonly maker: Maker;
}

/** A relation that a statement reaches, how, and why so. */
export interface ReachNote {
  readonly relation: string;
  readonly how: "join" | "batch" | "nest";
  readonly why: string;
}

/** Limits of an ordered set of rows. */
export interface Limits {
  readonly limit: number | undefined;
  readonly offset: number | undefined;
}

/** Limits whose numbers may be given only when the statement is sent. */
export interface LateLimits {
  readonly limit: number | Hole | undefined;
  readonly offset: number | Hole | undefined;
}

/** A to-many relation that is joined into a statement. */
export interface JoinedSource extends Limits {
  readonly source: Source;
  readonly relation: ResolvedRelation;
  /** The owner. */
  readonly from: Path;
  readonly where: readonly Node[];
  readonly orderBy: readonly OrderNode[];
}

/** One statement: what it asks for, and what becomes of its rows. It knows no dialect. */
export interface StatementPlan extends LateLimits {
  /** Its purpose, in words. */
  readonly purpose: string;
  /** The relation whose rows it brings, where those are not the query's own. */
  readonly relation: string | undefined;
  readonly source: Source;
  /** The steps from the rows of another statement, whose keys this one gets; none where there is no other. */
  readonly ownerSteps: readonly Step[];
  /** What narrows the rows between two of these steps; none where nothing does. */
  readonly ownerSets: readonly SetNode[];
  /** Whether each row comes with the position of its owner's key: the database alone knows which keys are equal. */
  readonly byPosition: boolean;
  /** Slots that hold the owners' keys or positions, by which the rows find them. */
  readonly ownerSlots: readonly number[];
  /** Where limit and offset are counted for each owner: how many rows. */
  readonly limitPerOwner: Limits | undefined;
  /** How an index serves the first rows of each owner. */
  readonly ownerIndex: OwnerIndex;
  readonly where: readonly Node[];
  readonly orderBy: readonly OrderNode[];
  /** Rows of other sources beside those of the source. */
  readonly joins: readonly JoinNode[];
  readonly groupBy: readonly Node[] | undefined;
  readonly having: readonly Node[];
  readonly joined: readonly JoinedSource[];
  /** Sources that stand for the end of a path. */
  readonly bound: ReadonlyMap<Source, Path>;
  readonly outputs: readonly Output[];
  readonly lock: RowLock | undefined;
  /** Whether the rows come from the end of the order, and have to be turned round. */
  readonly isReversed: boolean;
  /** The order, and where its values stand in a row; undefined where nobody asks for places in it. */
  readonly places: { readonly order: readonly OrderNode[]; readonly slots: readonly number[] } | undefined;
  /** Of rows that lead on to further rows of their own kind: the slots of the keys to send, and of the primary key. */
  readonly levels: { readonly keys: readonly number[]; readonly identity: readonly number[] } | undefined;
  /** Where it brings the rows of all levels at once: the step from each to the next. */
  readonly closure: Step | undefined;
  readonly rows: RowPlan;
  /** Whether many rows are expected. */
  readonly isLarge: boolean;
  /** Whether the database is sure to have a row for each key that a constraint backs. */
  readonly isTrusting: boolean;
  /** Whether a server is to plan it anew at each run. */
  readonly isPlannedAnew: boolean;
  /** The names of standing conditions that do not hold. */
  readonly lifted: readonly string[];
  /** What it reaches, and why in that way. */
  readonly notes: readonly ReachNote[];
}

/** The facts that decide how relations are fetched where a query does not. */
export interface PlanSettings {
  readonly strategy: Strategy;
  /** Whether many rows are expected, as no limit says otherwise. */
  readonly isLarge?: boolean;
  /** Whether the database is sure to have a row for each key that a constraint backs. */
  readonly isTrusting?: boolean;
  /** The names of standing conditions that do not hold for the statement, nor for those that follow it. */
  readonly lifted?: readonly string[];
  /** Whether all levels of a tree are best fetched by one statement, as where each is a way to a server and back. */
  readonly wholeTrees?: boolean;
  /** Whether a statement says how many rows it asks for: else one statement serves pages of any size. */
  readonly isLimitSaid?: boolean;
  /** Up to how many rows `auto` nests lists in them, which an index finds. */
  readonly nests?: NestRules;
}
