import type { ColumnKind, Scalar, StandardSchema, ValueType } from "../columns/index.js";
import type { AggregateName, WindowAggregate } from "./aggregate-rules.js";
import type { CallName } from "./calls.js";
import type { Comparison } from "./comparisons.js";
import type { OutsideRules } from "./outside.js";
import type { Strategy } from "./strategy.js";
import type { WindowName } from "./window-rules.js";
import type { Cardinality, Holder, RowLock, SetOperator } from "./words.js";

/** A column with everything settled: what the rooms to the right work with. */
export interface ResolvedColumn {
  /** The entity's name, for messages. */
  readonly entity: string;
  /** The name that code uses: "name", "address.street". */
  readonly property: string;
  /** The names on the way to it. */
  readonly steps: readonly string[];
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
  /** Whether its values are shown nowhere. */
  readonly isSecret: boolean;
  /** Whether it tells, by another value at each change, that the row is as it was read. */
  readonly isVersion: boolean;
  /** What the table's definition has for rows that leave it out. */
  readonly defaultValue: Scalar | undefined;
  readonly defaultExpression: Node | undefined;
  /** Whether a new row may leave it to the table. */
  readonly hasDefault: boolean;
  /** Makes the value of a new row that leaves it out. */
  readonly initial: (() => unknown) | undefined;
  /** Makes the value of each row that is written, and is given none. */
  readonly written: (() => unknown) | undefined;
  /** What its values must meet besides being of its kind. */
  readonly schema: StandardSchema | undefined;
  /** Whether the database works it out of the row's other columns. */
  readonly isComputed: boolean;
  /** Collations by the name of the dialect. */
  readonly collations: Readonly<Record<string, string>>;
  /** Its former name in the table. */
  readonly formerName?: string | undefined;
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

/** The action of SQL for rows whose key's row is deleted or changed. */
export type ForeignKeyAction = "no action" | "restrict" | "cascade" | "set null" | "set default";

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
  /** Whether the database has a foreign key for it, and what becomes of rows with those that they lead to. */
  readonly isBacked: boolean;
  readonly onDelete: ForeignKeyAction;
  readonly onUpdate: ForeignKeyAction;
  /** Whether its key gets an index where none begins with it. */
  readonly isIndexed: boolean;
  /** Whether it is an error where a to-one step has a key, and no row. */
  readonly isRequired: boolean;
  /** Whether the target's rows go with the row that they belong to. */
  readonly isOwning: boolean;
  /** Whether the owner's version guards the target's rows. */
  readonly isGuarding: boolean;
  /** Whether the database is sure to have a row for each key, so that nothing has to look. */
  readonly isTrusted: boolean;
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

/** A condition that an entity carries everywhere it appears. */
export interface StandingCondition {
  readonly name: string;
  readonly column: ResolvedColumn;
  /** The value that visible rows have, null: none; or the name of one that the database handle gives. */
  readonly value: Scalar | { readonly given: string };
  /** The value that a unit of work writes to the column in place of deleting the row. */
  readonly removed: (() => unknown) | undefined;
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
  /** Its table's former name. */
  readonly formerTable?: string | undefined;
  /** Every column by its path: "name", "address.street". */
  readonly columns: ReadonlyMap<string, ResolvedColumn>;
  readonly key: readonly ResolvedColumn[];
  readonly relations: ReadonlyMap<string, ResolvedRelation>;
  readonly indexes: readonly ResolvedIndex[];
  readonly isReadOnly: boolean;
  readonly standing: readonly StandingCondition[];
  /** To-one relations, by the names of conditions: rows are visible where the row that one leads to is. */
  readonly through: readonly { readonly name: string; readonly relation: string }[];
  /** Why it has no standing condition, although its rows lead to such of one handle. */
  readonly open: string | undefined;
  /** Whether its table is another entity's. */
  readonly isShared: boolean;
  /** Predicates that each row must fulfil, by the name of the constraint. */
  readonly checks: ReadonlyMap<string, Node>;
  /** What computed columns are worked out of. */
  readonly computations: ReadonlyMap<ResolvedColumn, Node>;
  /** Where its rows come from, where that is no table. */
  readonly derivation?: Derivation;
  /** Makes what code gets of a plain row, where that is not the plain row itself. */
  readonly make: ((row: object) => object) | undefined;
}

/** Rows of one entity inside a query. Its identity tells two uses of one entity apart. */
export interface Source {
  readonly entity: ResolvedEntity;
}

/** To-one relations followed from a source, none or several. */
export interface Path {
  readonly source: Source;
  readonly steps: readonly Step[];
  readonly entity: ResolvedEntity;
  /** Whether there may be no row at its end. */
  readonly mayBeMissing: boolean;
}

/** The related rows of an owner, or of another such set, narrowed by conditions. */
export interface SetNode {
  readonly source: Source;
  readonly step: Step;
  /** Where the step starts: at a row, or at each row of a set. */
  readonly from: Path | SetNode;
  readonly where: readonly Node[];
  readonly orderBy: readonly OrderNode[];
  readonly limit: number | undefined;
  readonly offset: number | undefined;
}

/**
 * An expression, as a tree that knows no dialect. Predicates are two-valued: a comparison with a missing value is
 * false.
 */
export type Node =
  | { readonly kind: "column"; readonly path: Path; readonly column: ResolvedColumn }
  /** `isConstant`: it is the library's own, or shapes the query, so that it stands in the text. */
  | { readonly kind: "value"; readonly value: Scalar; readonly type: ValueType; readonly isConstant?: boolean }
  | { readonly kind: "compare"; readonly comparison: Comparison; readonly left: Node; readonly right: Node }
  | { readonly kind: "isNull"; readonly operand: Node }
  | { readonly kind: "oneOf"; readonly operand: Node; readonly values: readonly Scalar[] | Hole }
  /** A value that is given when a template is run. */
  | ({ readonly kind: "hole"; readonly type: ValueType } & Hole)
  | { readonly kind: "logic"; readonly operator: "and" | "or"; readonly items: readonly Node[] }
  | { readonly kind: "not"; readonly item: Node }
  | CallNode
  | CaseNode
  | AggregateNode
  | FirstNode
  | { readonly kind: "exists"; readonly set: SetNode }
  | GroupNode
  | WindowNode
  | RawNode
  /** Whether the values are those of one of the rows. */
  | { readonly kind: "inRows"; readonly operands: readonly Node[]; readonly rows: readonly (readonly Scalar[])[] }
  /** Whether the values are those of a row of a query. */
  | { readonly kind: "inQuery"; readonly operands: readonly Node[]; readonly query: QueryState }
  /** Whether a query has a row. */
  | { readonly kind: "existsQuery"; readonly query: QueryState }
  /** The value of a query's first row; `isOnly`: of its only one, others being an error. */
  | ({ readonly kind: "firstQuery"; readonly query: QueryState; readonly isOnly: boolean } & NodeType);

/** The place of a template's parameter, by its name. */
export interface Hole {
  readonly hole: string;
}

/** A function of values, such as a sum of two or a text in lower case. */
export interface CallNode extends NodeType {
  readonly kind: "call";
  readonly call: CallName;
  readonly operands: readonly Node[];
}

/** The value beside the first condition that is true. */
export interface CaseNode extends NodeType {
  readonly kind: "case";
  readonly branches: readonly { readonly when: Node; readonly value: Node }[];
  readonly otherwise: Node | undefined;
}

/** The details of an aggregate besides its values. `O`: what they are sorted by. */
export interface AggregateDetails<O = OrderNode> {
  /** Whether equal values count once. */
  readonly isDistinct: boolean;
  /** The order of the values of a list or a text. */
  readonly orderBy: readonly O[];
  /** The separator of the values of a text. */
  readonly separator: string | undefined;
  /** The part of the values at or below a percentile, from 0 to 1. */
  readonly fraction: number | undefined;
  /** Of a standard deviation: whether the values are all there are, rather than some of them. */
  readonly isOfAll: boolean;
}

/** One value of all rows of a set. */
export interface AggregateNode extends NodeType {
  readonly kind: "aggregate";
  readonly aggregate: AggregateName;
  readonly set: SetNode;
  /** What is added up and the like; a count of rows has none. */
  readonly operand: Node | undefined;
  readonly details: AggregateDetails;
}

/** One value of all rows of a group, or of those that fulfil a condition. */
export interface GroupNode extends NodeType {
  readonly kind: "group";
  readonly aggregate: AggregateName;
  readonly operand: Node | undefined;
  readonly filter: Node | undefined;
  readonly details: AggregateDetails;
}

/** A value of a row among the rows of its partition. */
export interface WindowNode extends NodeType {
  readonly kind: "window";
  readonly call: WindowName | WindowAggregate;
  readonly operands: readonly Node[];
  readonly partitionBy: readonly Node[];
  readonly orderBy: readonly OrderNode[];
  /** How many rows before and after the row are taken; undefined where all are. */
  readonly frame: { readonly before: number | undefined; readonly after: number | undefined } | undefined;
}

/** SQL as it was written, with what stands between its parts. */
export interface RawText {
  readonly parts: readonly string[];
  readonly between: readonly (Node | { readonly kind: "table"; readonly entity: ResolvedEntity })[];
}

/** An expression in SQL as it was written. */
export interface RawNode extends NodeType, RawText {
  readonly kind: "raw";
}

/** A value of a set's first row in its order. */
export interface FirstNode extends NodeType {
  readonly kind: "first";
  readonly set: SetNode;
  readonly operand: Node;
}

/** An expression to sort by. */
export interface OrderNode {
  readonly node: Node;
  readonly descending: boolean;
  /** Where rows without a value come, where that is not as usual: first in ascending order, last in descending. */
  readonly nulls?: "first" | "last" | undefined;
}

/** The type of an expression's values, and whether they may be missing. */
export interface NodeType {
  readonly type: ValueType;
  readonly isNullable: boolean;
}

/** "Loan.due": how messages name a column or relation. */
export const qualified = (member: { readonly entity: string; readonly property: string }): string =>
  `${member.entity}.${member.property}`;

/** A projection of a row: one value, or an object of such. */
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

/** Rows of another source beside each row that a condition ties them to. */
export interface JoinNode {
  readonly kind: "inner" | "left" | "cross" | "full";
  readonly source: Source;
  readonly on: Node | undefined;
}

/** The values of a template's parameters, by name. */
export type ParameterValues = ReadonlyMap<string, Scalar>;

/** The rows of several grouped queries by one, which groups by several sets of its keys: where an engine can. */
export interface BySets {
  readonly query: QueryState;
  /** The places of each set's keys in what it groups by. */
  readonly sets: readonly (readonly number[])[];
}

/** Where the rows of a source come from that is no table. */
export type Derivation =
  | { readonly kind: "query"; readonly query: QueryState }
  | {
      readonly kind: "compound";
      readonly operator: SetOperator;
      readonly queries: readonly QueryState[];
      readonly bySets?: BySets | undefined;
    }
  /** Whole numbers from one to another. */
  | { readonly kind: "series"; readonly from: Node; readonly to: Node }
  /** A query that a statement names once, however often it is used. */
  | { readonly kind: "named"; readonly name: string; readonly query: QueryState }
  /** A statement as it was written. */
  | { readonly kind: "raw"; readonly name: string; readonly text: RawText }
  /** One whose second part goes on from its own rows. */
  | {
      readonly kind: "recursive";
      readonly name: string;
      readonly seed: QueryState;
      readonly step: QueryState;
      /** Whether rows that are equal are kept. */
      readonly isAll: boolean;
    };

/** A place in a query's order, and the side of it whose rows are asked for. */
export interface Cursor {
  readonly text: unknown;
  readonly side: "after" | "before";
  /** The query without it, where nothing else was said since. */
  readonly base: QueryState | undefined;
}

/** All that was said of a query. */
export interface QueryState {
  /** The rules for reading what it does not bring. */
  readonly outside: OutsideRules | undefined;
  /** Findings of a ledger that are meant, with their reasons. */
  readonly accepted: readonly { readonly kind: string; readonly reason: string }[] | undefined;
  /** The names of standing conditions that do not hold for it. */
  readonly lifted: readonly string[];
  readonly source: Source;
  readonly where: readonly Node[];
  readonly orderBy: readonly OrderNode[];
  readonly limit: number | undefined;
  readonly offset: number | undefined;
  /** The template that it is made of, and what was given for its parameters, in the form for dialects. */
  readonly given: { readonly template: QueryState; readonly values: ParameterValues } | undefined;
  /** The locks that the rows are given, until the transaction ends. */
  readonly lock: RowLock | undefined;
  /** Only the rows on one side of a place in the order. */
  readonly cursor: Cursor | undefined;
  /** Other rows beside those of the source. */
  readonly joins: readonly JoinNode[];
  /** The keys that rows are grouped by; undefined where they are not. */
  readonly groupBy: readonly Node[] | undefined;
  /** The conditions of groups. */
  readonly having: readonly Node[];
  readonly reach: readonly ReachedRelation[];
  readonly projection: Projection | undefined;
  readonly strategy: Strategy | undefined;
  /** The members that each row has; undefined for all but heavy ones. */
  readonly columns: readonly string[] | undefined;
  /** Whether only the number of rows is asked for, of each owner. */
  readonly isCounted: boolean;
  /** How many levels of a relation to the entity itself are reached, one below the other; undefined for one. */
  readonly levels: number | undefined;
  /** Whether all statements are to see one state of the data. */
  readonly isSnapshot: boolean;
  /** Whether a server is to plan it anew at each run. */
  readonly isPlannedAnew: boolean;
  readonly memo: QueryMemo;
}

/** What has become of a value: the only thing about it that changes. */
export interface QueryMemo {
  isUsed: boolean;
  /** What was made of it, by who made it and for what. */
  made?: WeakMap<object, Map<string, unknown>>;
}
