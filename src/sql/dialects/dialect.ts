import type { Scalar, ValueType } from "../../columns/index.js";
import type { ResolvedEntity, RowLock } from "../../ir/index.js";
import type { Limits, NestRules, OwnerIndex, PortionRules, StatementPlan } from "../../plan/index.js";
import type { TableRules } from "../definition/table-rules.js";
import type { ExplainRules } from "../explain/execution-plan.js";
import type { Calls } from "../print/calls.js";
import type { NullPlace, PrintedAggregate } from "../print/parts.js";
import type { Compound, InsertEnd, Parameter, Select, SortTerm, SqlExpression, Write } from "../tree/tree.js";
import type { Decoder, Encoder, Keys, Wire } from "./wire.js";

/** The dialects there are. */
export type DialectName = "sqlite" | "postgres" | "mariadb";

/** Gives the placeholder of one part of keys, or of all of them. */
export type AddKeys = (part: number | "all") => string;

/**
 * The first rows of each owner: by a derived table for each; by a subquery of the keys for each; by a subquery for
 * each row that is wanted.
 */
export type OwnerForm = "lateral" | "correlated" | "seeks";

/** How an engine writes what all of them have. */
export interface TextRules {
  /** A name as it stands in a statement: between quotes only where the engine needs it. */
  readonly quote: (name: string) => string;
  readonly placeholder: (position: number) => string;
  /** Whether placeholders have numbers, so that one may stand in several places. */
  readonly isNumbered: boolean;
  /** A value that stands in the text: a constant of the library's own, or one of a table's definition. */
  readonly literal: (value: Scalar, type: ValueType) => string;
  /** A placeholder whose type the text says, since nothing beside it does. */
  readonly typed: (placeholder: string, type: ValueType) => string;
  /** The calls that this engine says in its own way: those that no two engines share, and any other. */
  readonly calls: Calls;
  /** The operator that matches a text with a pattern, and a pattern of `like` as it takes it. */
  readonly likeOperator: string;
  readonly pattern: (like: string) => string;
  /** One value of many. */
  readonly aggregate: (of: PrintedAggregate) => string;
  readonly distinct: (left: string, right: string) => string;
  readonly inList: (operand: string, placeholder: string, type: ValueType, negated: boolean) => string;
  /**
   * Whether the values of a list of a type are placeholders one by one, up to so many, where an engine compares those
   * of one parameter by another rule than the column's.
   */
  readonly mostListed?: (type: ValueType) => number;
  /** Whether the operands are among the keys. */
  readonly inKeys: (operands: readonly string[], types: readonly ValueType[], add: AddKeys) => string;
  /**
   * The keys as a table of columns key_1, key_2 and so on, and their position, under a name as it stands in a
   * statement.
   */
  readonly keysTable: (types: readonly ValueType[], add: AddKeys, alias: string, hasPosition: boolean) => string;
  /**
   * Compares with placeholders one by one, where an engine compares values of such a table by another rule than theirs.
   */
  readonly keysListed?: {
    readonly isNeeded: (types: readonly ValueType[]) => boolean;
    readonly table: (rows: readonly (readonly string[])[], alias: string) => string;
    /** The value in place of keys that are fewer than placeholders: it leads to no row. */
    readonly absent: (type: ValueType) => string | null;
  };
  /** Whole numbers from one to another as a table of a column value, under a name as it stands in a statement. */
  readonly series: (from: () => string, to: () => string, alias: string) => string;
  /** Where rows without a value go: first in ascending order, unless an order says otherwise. */
  readonly nulls: (descending: boolean, said: NullPlace) => string;
  /** How a select locks its rows, of the table of a name. */
  readonly lock: (lock: RowLock, table: string) => string;
  /** An expression in a form that the engine compares as the type is meant. */
  readonly sortable: (expression: string, type: ValueType) => string;
  /** An expression in a form that comes over the wire without loss. */
  readonly read: (expression: string, type: ValueType) => string;
  readonly limit: (limit: string | undefined, offset: string | undefined) => string;
  /** A limit that leaves every row. */
  readonly everyRow: string;
  /** Whether the number of rows stands in the text, where an engine plans a statement before it knows its values. */
  readonly isLimitSaid: boolean;
  /** Rows as one JSON value, a list of lists; `limits`: how many, where the dialect says so here. */
  readonly nest: (items: readonly string[], order: string, limits: string) => string;
  /**
   * An expression as a value of JSON that loses nothing; without a type it is nested rows itself, out of a derived
   * table.
   */
  readonly inJson: (expression: string, type: ValueType | undefined) => string;
}

/** How values go to the engine and come from it. */
export interface WireRules {
  /** The position of the first key of a table of keys. */
  readonly firstPosition: 0 | 1;
  /** Returns how to encode a type's values for the driver; undefined where the value is sent as it is. */
  readonly encoder: (type: ValueType) => Encoder | undefined;
  readonly encode: (parameter: Exclude<Parameter, { kind: "keys" | "key" | "rows" | "hole" }>) => Wire;
  readonly encodeKeys: (parameter: Extract<Parameter, { kind: "keys" | "rows" }>, keys: Keys) => Wire;
  /**
   * Returns how to make what would have come over the wire of a value of JSON; undefined where it is that, or as good
   * as that for what is no key.
   */
  readonly fromJson: (type: ValueType, isKey: boolean) => ((part: Wire) => Wire) | undefined;
  /** The one form of a key of whole numbers, where a column may store some of them as text. */
  readonly keyForm?: (key: string) => Wire;
  /** The values of a list that was made of many rows, each as it would come over the wire by itself. */
  readonly gathered: (list: Wire | readonly Wire[], element: ValueType) => readonly Wire[];
  /** Returns what would come over the wire for a key that is known. */
  readonly keyOnWire: (value: Scalar, type: ValueType) => Wire;
  /** Whether all that comes over the wire is text, so that a text need not be looked at. */
  readonly isTextSure: boolean;
  /** Returns how to decode what comes over the wire; undefined where that is the very value. */
  readonly decoder: (type: ValueType) => Decoder | undefined;
}

/** A text with what goes over the wire for its placeholders. */
export interface WriteText {
  readonly text: string;
  readonly parameters: readonly Wire[];
}

/** How an insert is to keep an engine from handing out again what its rows bring. */
export interface Advance {
  /**
   * Whether it is no part of a transaction; there it gives the identity that the engine's counter is behind, or null.
   */
  readonly isAlone: boolean;
  /** Whether it is of one row. */
  readonly isOne: boolean;
}

/** How an engine takes rows. */
export interface WriteRules {
  /**
   * What an insert says of a row that gives no column a value; `hasConflict`: before what is done where the row is
   * there already.
   */
  readonly emptyRow: (entity: ResolvedEntity, hasConflict: boolean) => string;
  /**
   * Inserts all rows by one statement, each column as an array; `into`: "insert into … (…)"; undefined where the engine
   * has no arrays.
   */
  readonly insertArrays: ((into: string, types: readonly ValueType[]) => string) | undefined;
  /**
   * An insert, which returns nothing, that keeps the engine from handing out again the identities that its rows bring;
   * `identity`: the column's own name. Undefined where the engine sees to it itself.
   */
  readonly advancing?: (insert: string, table: string, identity: string, how: Advance) => string;
  /**
   * Gives an identity, if the engine's counter is behind it; without one, the table's last. Undefined where the engine
   * sees to it itself.
   */
  readonly behind?: (table: string, identity: string, last: number | undefined) => WriteText;
  /** Moves the engine's counter to an identity, and keeps nobody waiting for the end of the transaction. */
  readonly advance?: (table: string, identity: string, last: string | number | bigint) => WriteText;
  /** A select of columns part_1, part_2 and so on, each of them an array; undefined where the engine has no arrays. */
  readonly rowsOfArrays: ((types: readonly ValueType[]) => string) | undefined;
  /** The most of one statement that inserts. */
  readonly portions: PortionRules;
  /** What an insert does where a row is there already: sets some of its columns, or nothing. */
  readonly onConflict: (by: readonly string[], set: string) => string;
  /**
   * What stands before and behind a worked out value, so that a column of a type holds no more than it may; undefined
   * where the engine sees to it itself.
   */
  readonly asStored?: (type: ValueType) => readonly [string, string] | undefined;
  /** Set where a row that refers to itself cannot be deleted before the reference is null (MariaDB 10.11.19). */
  readonly ownRowBlocks?: true;
  /** Whether an update joins the rows beside those that it changes, rather than naming them after what it sets. */
  readonly isJoined: boolean;
  /** A column of the row that an insert would have added. */
  readonly proposed: (column: string) => string;
  /** The name that stands for the row of an upsert that was to be inserted, if there is one. */
  readonly proposedRow?: string;
}

/** How an engine defines tables. */
export interface DefinitionRules {
  /**
   * The statement that gives schema and name of all tables. Its first column is null where a query sees the schema
   * without naming it.
   */
  readonly tablesQuery: string;
  /**
   * What has others wait who create tables, to the end of the transaction, where two that create one table at once
   * would be a fault although each says "if not exists".
   */
  readonly turnText?: string;
  /** The rules of its definitions of tables. */
  readonly rules: TableRules;
}

/** Rewrites the parts of a statement that an engine cannot say, or gets wrong, right before they are printed. */
export interface Rewrites {
  readonly expression?: { readonly [K in SqlExpression["kind"]]?: (expression: never) => SqlExpression };
  readonly select?: (select: Select) => Select;
  /** A select that stands in a from clause. */
  readonly derived?: (select: Select) => Select | Compound;
  readonly compound?: (compound: Compound) => Compound | Select;
  readonly order?: (terms: readonly SortTerm[]) => readonly SortTerm[];
  readonly write?: (write: Write) => Write;
  readonly insertEnd?: (end: InsertEnd) => InsertEnd;
}

/** Statements that ask an engine what it knows of itself. */
export interface CatalogueTexts {
  /** Every index: table, index, column, position, is_unique, is_partial. */
  readonly indexes: string;
  /** The columns of a unique index of a table, in their order; undefined where the engine's errors tell them. */
  readonly uniqueColumns?: (table: string, index: string) => string;
  /** Indexes that nothing was looked up by: table, index. */
  readonly unusedIndexes?: string;
  /** Statements that took long: statement, calls, milliseconds, rows. */
  readonly statements?: string;
}

/** The SQL of one engine: its text, what it cannot say, values on the wire, tables, errors. */
export interface Dialect {
  readonly name: DialectName;
  /** The engine's name in messages. */
  readonly engine: string;
  readonly text: TextRules;
  readonly rewrites: Rewrites;
  readonly wire: WireRules;
  readonly writes: WriteRules;
  readonly definition: DefinitionRules;
  /** How the first rows of each owner are best taken; undefined where all rows of all owners are to be numbered. */
  readonly ownerForm: (index: OwnerIndex, keyLength: number, limits: Limits) => OwnerForm | undefined;
  /**
   * The statement that returns the isolation level of the transaction at hand; undefined where all are serializable.
   */
  readonly isolationText: string | undefined;
  /**
   * Whether sets of many rows are best aggregated for all of them at once, by a join, rather than for each by a
   * subquery.
   */
  readonly groupsSets: boolean;
  /** Whether all levels of a tree are best fetched by one statement. */
  readonly wholeTrees: boolean;
  /**
   * Up to how many rows lists are best nested in them as JSON: measured with 1, 10 and 100 rows a list, so that the
   * worst of these is least.
   */
  readonly nests: NestRules;
  /** How lists nest where each statement has two milliseconds to go, one way; as near by where it is left out. */
  readonly farNests?: NestRules;
  /** Packs rows into one JSON value, where that is faster; undefined where rows are to come one by one. */
  readonly pack: (select: Select | Compound, plan: StatementPlan) => Select | undefined;
  readonly explain: ExplainRules;
  readonly catalogue: CatalogueTexts;
  /** Makes a GemachError of an error of the engine, or on the way to it; `place`: the file or server. */
  readonly fault: (error: unknown, statement: string, place?: string) => unknown;
}

/** From so many milliseconds to a server and back on, fewer statements count for more than what each of them costs. */
const far = 1;

/** Returns the facts for plans that depend on the engine, and on how far it is: `roundTrip`, in milliseconds. */
export const factsOf = ({ wholeTrees, nests, farNests, text: { isLimitSaid } }: Dialect, roundTrip = 0) => ({
  wholeTrees,
  nests: roundTrip >= far ? (farNests ?? nests) : nests,
  isLimitSaid,
});
