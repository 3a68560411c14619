import type { Scalar, ValueType } from "../../columns/index.js";
import type {
  AggregateDetails,
  AggregateName,
  CallName,
  Derivation,
  Hole,
  MatchCall,
  NodeType,
  ResolvedEntity,
  RowLock,
  SetOperator,
  WindowNode,
} from "../../ir/index.js";
/** What a statement gets for one placeholder, before a dialect encodes it. */
export type Parameter =
  | {
      readonly kind: "value";
      readonly value: Scalar;
      readonly type: ValueType;
      /** Whether the text says its type, since nothing beside it does. */
      readonly isTyped?: boolean;
    }
  | { readonly kind: "list"; readonly values: readonly Scalar[]; readonly type: ValueType }
  /** A template's parameter, whose value is known when it is run. */
  | {
      readonly kind: "hole";
      readonly hole: string;
      readonly type: ValueType;
      readonly isTyped: boolean;
      readonly isList: boolean;
      /** The match whose pattern is made of what is given. */
      readonly match?: MatchCall;
    }
  /** Rows of values that are known; `part` is the column that it carries, or all of them. */
  | {
      readonly kind: "rows";
      readonly rows: readonly (readonly Scalar[])[];
      readonly types: readonly ValueType[];
      readonly part: number | "all";
    }
  /**
   * Keys that come from another statement's rows; `part` is the column of a composite key that it carries, or all of
   * them.
   */
  | { readonly kind: "keys"; readonly types: readonly ValueType[]; readonly part: number | "all" }
  /** A column of one of these keys, by the key's position; `absent`: where there are fewer. */
  | { readonly kind: "key"; readonly at: number; readonly part: number; readonly absent: string | null };

/** How two values are compared in SQL. */
export type Operator = "=" | "<>" | "<" | ">" | "<=" | ">=";

/** An expression of SQL. */
export type SqlExpression =
  /** A column; in a table's own definition its table has no name. */
  | {
      readonly kind: "column";
      readonly table: string;
      readonly name: string;
      /** Whether it is of the rows of a query rather than of a table. */
      readonly isDerived?: boolean;
    }
  /** A column of the row that an insert would have added, were there not one already. */
  | { readonly kind: "proposed"; readonly name: string }
  /** What a select gives in a place, from 1: what a compound can be sorted by. */
  | { readonly kind: "position"; readonly position: number }
  | { readonly kind: "parameter"; readonly parameter: Parameter }
  | { readonly kind: "constant"; readonly value: 1 | true | false }
  /** A value that is no data. */
  | { readonly kind: "literal"; readonly value: Scalar; readonly type: ValueType }
  | {
      readonly kind: "binary";
      readonly operator: Operator;
      readonly left: SqlExpression;
      readonly right: SqlExpression;
    }
  /** Unequal, where no value is unequal to every value. */
  | { readonly kind: "distinct"; readonly left: SqlExpression; readonly right: SqlExpression }
  | { readonly kind: "logic"; readonly operator: "and" | "or"; readonly items: readonly SqlExpression[] }
  | { readonly kind: "not"; readonly item: SqlExpression }
  | { readonly kind: "isNull"; readonly operand: SqlExpression; readonly negated: boolean }
  /** Makes two truth values of three. */
  | { readonly kind: "isTrue"; readonly item: SqlExpression; readonly negated: boolean }
  | {
      readonly kind: "inList";
      readonly operand: SqlExpression;
      readonly values: readonly Scalar[] | Hole;
      readonly type: ValueType;
      readonly negated: boolean;
      /** Whether values that are known are placeholders one by one. */
      readonly isListed?: boolean;
    }
  | { readonly kind: "inKeys"; readonly operands: readonly SqlExpression[]; readonly types: readonly ValueType[] }
  | CallExpression
  | {
      readonly kind: "case";
      readonly branches: readonly { readonly when: SqlExpression; readonly value: SqlExpression }[];
      readonly otherwise: SqlExpression | undefined;
    }
  /** Whether a text matches a pattern of `like`, in which a backslash escapes. */
  | {
      readonly kind: "like";
      readonly operand: SqlExpression;
      /** The pattern, or the text that it is made of once that is given. */
      readonly pattern: string | { readonly call: MatchCall; readonly hole: string };
      readonly negated: boolean;
    }
  | {
      readonly kind: "aggregate";
      readonly aggregate: AggregateName;
      /** Undefined where rows are counted. */
      readonly operand: SqlExpression | undefined;
      /** Only the rows for which it is true, where the dialect can say so. */
      readonly filter: SqlExpression | undefined;
      readonly details: AggregateDetails<SortTerm>;
      readonly type: ValueType;
      readonly of: ValueType;
    }
  | { readonly kind: "exists"; readonly select: Select; readonly negated: boolean }
  /** `isOnly`: several rows of it are an error. */
  | { readonly kind: "subquery"; readonly select: Select; readonly isOnly?: boolean }
  | { readonly kind: "rowCount" }
  /** A decimal in the one form in which equal ones are the same, where an engine stores several. */
  | { readonly kind: "canonical"; readonly item: SqlExpression; readonly type: ValueType }
  /** A value in a form that the engine compares as its type is meant. */
  | { readonly kind: "sortable"; readonly item: SqlExpression; readonly type: ValueType }
  | {
      readonly kind: "inSelect";
      readonly operands: readonly SqlExpression[];
      readonly select: Select;
      readonly negated: boolean;
    }
  | {
      readonly kind: "inRows";
      readonly operands: readonly SqlExpression[];
      readonly types: readonly ValueType[];
      readonly rows: readonly (readonly Scalar[])[];
    }
  | WindowExpression
  | NestExpression
  | RawExpression;

/** The rows of a select as one JSON value: a list of lists. */
export interface NestExpression extends SortedPart {
  readonly kind: "nest";
  readonly items: readonly NestItem[];
}

/** A value within nested rows; without a type it is nested rows itself. */
export interface NestItem {
  readonly expression: SqlExpression;
  readonly type: ValueType | undefined;
}

/** An order, and limits that stand in the text as the engine takes no parameters for them. */
interface SortedPart {
  readonly orderBy: readonly SortTerm[];
  readonly limit: number | undefined;
  readonly offset: number | undefined;
}

/** A function of values. */
export interface CallExpression {
  readonly kind: "call";
  readonly call: CallName;
  readonly operands: readonly SqlExpression[];
  readonly type: ValueType;
  /** The operands' types, and whether they may be missing. */
  readonly of: readonly NodeType[];
}

/** SQL as it was written. */
export interface RawExpression {
  readonly kind: "raw";
  readonly parts: readonly string[];
  readonly between: readonly (SqlExpression | TableName)[];
}

/** A table by its name alone. */
export interface TableName {
  readonly kind: "table";
  readonly schema: string | undefined;
  readonly table: string;
}

/** A value of a row among others. */
export interface WindowExpression {
  readonly kind: "window";
  readonly call: WindowNode["call"];
  readonly operands: readonly SqlExpression[];
  readonly partitionBy: readonly SqlExpression[];
  readonly orderBy: readonly SortTerm[];
  readonly frame: WindowNode["frame"];
  readonly type: ValueType;
  /** The type of the first operand. */
  readonly of: ValueType;
}

/** One term of an order. */
export interface SortTerm {
  readonly expression: SqlExpression;
  readonly descending: boolean;
  readonly isNullable: boolean;
  readonly nulls?: "first" | "last" | undefined;
}

/** A table, or a select in its place, under a name. */
export type TableTerm =
  | {
      readonly kind: "table";
      readonly schema: string | undefined;
      readonly table: string;
      readonly alias: string;
      /** Whose table it is, for who looks at what the statement asks of it. */
      readonly entity?: ResolvedEntity;
    }
  /** `isLateral`: it may refer to what stands before it. */
  | {
      readonly kind: "derived";
      readonly select: Select | Compound;
      readonly alias: string;
      readonly isLateral?: boolean;
    }
  /**
   * The keys of another statement's rows, as columns key_1, key_2 and so on; with the position of each where asked for.
   */
  | {
      readonly kind: "keys";
      readonly types: readonly ValueType[];
      readonly alias: string;
      readonly hasPosition: boolean;
    }
  /** Whole numbers from 0 on, in a column n. */
  | { readonly kind: "numbers"; readonly count: number; readonly alias: string }
  /** Whole numbers from one to another, in a column value. */
  | { readonly kind: "series"; readonly from: SqlExpression; readonly to: SqlExpression; readonly alias: string }
  /** What the statement names before it begins. */
  | { readonly kind: "common"; readonly of: Derivation; readonly alias: string }
  /** A table with what is joined to it before it is joined itself. */
  | { readonly kind: "joined"; readonly table: TableTerm; readonly joins: readonly Join[]; readonly alias: string };

/** Several selects whose rows become those of one. */
export interface Compound {
  readonly operator: SetOperator;
  readonly selects: readonly Select[];
  /** One select of these rows that groups by several sets, for engines that can. */
  readonly bySets?: Select | undefined;
  readonly common?: readonly CommonTable[];
  /** Of the whole; its terms are positions in what the selects give. */
  readonly orderBy?: readonly SortTerm[];
  readonly limit?: number | Hole | undefined;
  readonly offset?: number | Hole | undefined;
  /** Where it is a whole statement: what its rows are called, and the columns that they have. */
  readonly whole?: { readonly alias: string; readonly columns: readonly CompoundColumn[] };
}

/** A column of a compound's rows. */
export interface CompoundColumn {
  readonly name: string;
  readonly type: ValueType;
}

/** A select that a statement names before it begins. */
export interface CommonTable {
  readonly of: Derivation;
  /** What it is called, where nothing else in the statement is. */
  readonly name: string;
  readonly columns: readonly string[];
  readonly select: Select | Compound | RawExpression;
  readonly isRecursive: boolean;
}

/** A joined table. */
export interface Join {
  readonly kind: "inner" | "left" | "cross" | "full";
  readonly table: TableTerm;
  readonly on: readonly SqlExpression[];
}

/** What a select gives; a name is needed only inside another select. */
export interface SelectItem {
  readonly expression: SqlExpression;
  readonly alias: string | undefined;
  /** The type of its values where they go over the wire. */
  readonly read?: ValueType | undefined;
}

/** A select statement. */
export interface Select {
  readonly items: readonly SelectItem[];
  readonly from: TableTerm;
  readonly joins: readonly Join[];
  readonly where: readonly SqlExpression[];
  readonly groupBy: readonly SqlExpression[];
  /** The sets by which it groups, of the places of these; undefined: by all of them. */
  readonly sets?: readonly (readonly number[])[];
  readonly having: readonly SqlExpression[];
  readonly orderBy: readonly SortTerm[];
  /**
   * "one": it belongs to what is asked, and stands in the text; "all": only to keep the select apart from what is
   * around it.
   */
  readonly limit: number | Hole | "one" | "all" | undefined;
  readonly offset: number | Hole | undefined;
  readonly isDistinct: boolean;
  readonly lock: RowLock | undefined;
  /** What is named before it begins. */
  readonly common?: readonly CommonTable[];
}

/** A column and what it is given. */
export interface Assignment {
  readonly column: string;
  readonly value: SqlExpression;
}

/** Rows beside those that are written, found before any of them is. */
export interface FoundRows {
  readonly select: Select;
  readonly alias: string;
  readonly on: readonly SqlExpression[];
}

/** A statement that changes or deletes rows of a table. */
export interface Write {
  readonly kind: "update" | "delete";
  readonly table: TableName;
  /** The columns of its primary key. */
  readonly key: readonly string[];
  readonly set: readonly Assignment[];
  readonly found?: FoundRows;
  readonly where: readonly SqlExpression[];
  /** What it gives of each row; none where it gives only their number. */
  readonly returning: readonly SelectItem[];
}

/** What becomes of a row that an insert finds there already, and what an insert gives of each row. */
export interface InsertEnd {
  readonly conflict: { readonly by: readonly string[]; readonly set: readonly Assignment[] } | undefined;
  readonly returning: readonly SelectItem[];
}
