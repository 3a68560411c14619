import type { ColumnKind, Scalar, ValueType } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import type { AggregateName, CallName, ResolvedColumn, RowLock } from "../expression/index.js";
import type { Cut, OwnerIndex } from "../plan/index.js";
import type { CallPrinter } from "./calls.js";
import type { Parameter } from "./tree.js";
/** What goes over the wire in either direction: all that a driver has to take and may give. */
export type Wire = null | boolean | number | bigint | string | Uint8Array;

/** The keys of another statement's rows, as they came over the wire. */
export type Keys = readonly (readonly Wire[])[];

/** Makes a value of what came over the wire; it is never asked about null. */
export type Decoder = (wire: Wire) => Scalar;

/** The dialects there are. */
export type DialectName = "sqlite" | "postgres" | "mariadb";

/** What an insert of whole columns is made of; names are quoted already. */
export interface ArrayInsert {
  /** "insert into … (…)" */
  readonly into: string;
  readonly table: string;
  readonly types: readonly ValueType[];
  /** The identity column whose values the rows bring themselves, not quoted. */
  readonly identity: string | undefined;
}

/** The type of what an aggregate gives, and of the values that it is made of. */
export interface AggregateTypes {
  readonly type: ValueType;
  readonly of: ValueType;
}

/**
 * The first rows of each owner: by a derived table for each; by a subquery of the keys for each; by a subquery for
 * each row that is wanted.
 */
export type OwnerForm = "lateral" | "correlated" | "seeks";

/** The names of aggregates as SQL has them; an average is a double, of an exact sum where the values are exact. */
export function standardAggregate(
  name: AggregateName,
  operand: () => string,
  double: string,
  { of }: AggregateTypes,
  over: () => string,
): string {
  if (name === "countDistinct") return `count(distinct ${operand()})${over()}`;
  if (name === "avg" && of.kind !== "double")
    return `cast(sum(${operand()})${over()} as ${double}) / count(${operand()})${over()}`;
  return `${name}(${operand()})${over()}`;
}

/** What sets one engine's SQL apart: texts, and the form of values on the wire. */
export interface Dialect {
  readonly name: DialectName;
  /** What messages call the engine. */
  readonly engine: string;
  readonly quote: (name: string) => string;
  readonly placeholder: (position: number) => string;
  /** A value in a table's definition, the one place where values stand in text; they come from the model. */
  readonly literal: (value: Scalar, type: ValueType) => string;
  /** A placeholder whose type the text says, since nothing beside it does. */
  readonly typed: (placeholder: string, type: ValueType) => string;
  /** The calls that this engine says in its own way. */
  readonly calls: Readonly<Partial<Record<CallName, CallPrinter>>>;
  /** The operator that matches a text with a pattern, and a pattern of `like` as it takes it. */
  readonly likeOperator: string;
  readonly pattern: (like: string) => string;
  /** One value of many. */
  readonly aggregate: (
    name: AggregateName,
    operand: () => string,
    types: AggregateTypes,
    /** What stands behind each function: which rows it is of, or what makes a window of it. */
    over: () => string,
  ) => string;
  /** Whether an aggregate can say of which rows it is. */
  readonly filtersAggregates: boolean;
  /** Whether placeholders have numbers, so that one may stand in several places. */
  readonly isNumbered: boolean;
  readonly distinct: (left: string, right: string) => string;
  readonly inList: (operand: string, placeholder: string, type: ValueType, negated: boolean) => string;
  /** Whether the operands are among the keys; `add` gives the placeholder of one part of them, or of all. */
  readonly inKeys: (
    operands: readonly string[],
    types: readonly ValueType[],
    add: (part: number | "all") => string,
  ) => string;
  /** The keys as a table of columns key_1, key_2 and so on, under a name that is quoted already. */
  readonly keysTable: (types: readonly ValueType[], add: (part: number | "all") => string, alias: string) => string;
  /** How the first rows of each owner are best taken; undefined where all rows of all owners are to be numbered. */
  readonly ownerForm: (index: OwnerIndex, keyLength: number, cut: Cut) => OwnerForm | undefined;
  /** Where rows without a value go: first in ascending order, unless an order says otherwise. */
  readonly nulls: (descending: boolean, said: "first" | "last" | undefined) => string;
  /** Whether an order can say so; else the term is sorted by whether it has a value first. */
  readonly saysNulls: boolean;
  /** How a select locks its rows, of the table of a name; undefined where the engine locks no rows. */
  readonly lock: ((lock: RowLock, table: string) => string) | undefined;
  /** An expression in a form that the engine compares as the type is meant. */
  readonly sortable: (expression: string, type: ValueType) => string;
  /** An expression in a form that comes over the wire without loss. */
  readonly read: (expression: string, type: ValueType) => string;
  readonly limit: (limit: string | undefined, offset: string | undefined) => string;
  readonly encode: (parameter: Exclude<Parameter, { kind: "keys" | "rows" | "hole" }>) => Wire;
  readonly encodeKeys: (parameter: Extract<Parameter, { kind: "keys" | "rows" }>, keys: Keys) => Wire;
  /** Rows as one JSON value, a list of lists; `cut`: how many, where the dialect says so here. */
  readonly nest: (items: readonly string[], order: string, cut: string) => string;
  /** An expression as a value of JSON that loses nothing; without a type it is nested rows itself, out of a derived table. */
  readonly inJson: (expression: string, type: ValueType | undefined) => string;
  /**
   * What makes of a value of JSON what would have come over the wire; undefined where it is that, or as good as that
   * for what is no key.
   */
  readonly fromJson: (type: ValueType, isKey: boolean) => ((part: Wire) => Wire) | undefined;
  /** Whether many rows come faster as one JSON value than row by row. */
  readonly packsRows: boolean;
  /** Whether nested rows are cut where they are put together, as no derived table may refer to their owner. */
  readonly cutsNested: boolean;
  /** What would come over the wire for a key that is known. */
  readonly keyOnWire: (value: Scalar, type: ValueType) => Wire;
  /** What makes a type's values of what comes over the wire; undefined where that is the very value. */
  readonly decoder: (type: ValueType) => Decoder | undefined;
  /** What an insert says of a row that gives no column a value. */
  readonly emptyRow: string;
  /** Inserts all rows by one statement, each column as an array; undefined where the engine has no arrays. */
  readonly insertArrays: ((insert: ArrayInsert) => string) | undefined;
  /** The statements that keep the engine from handing out identities up to the last again. */
  readonly advance: (
    table: string,
    identity: string,
    last: number,
  ) => readonly { readonly text: string; readonly parameters: readonly Wire[] }[];
  /** Else how many rows one statement may take, the most first: few sizes, so that there are few texts. */
  readonly rowsPerInsert: readonly number[];
  /** How a table's definition says of a column that it is the primary key and that the database hands it out. */
  readonly identity: string;
  /** The type of a column in a table's definition; of one that is part of a key or index, where that matters. */
  readonly columnType: (type: ValueType, isIndexed: boolean) => string;
  /** How a table's definition says by which collation a text is compared; by code point where none is given. */
  readonly collate: (collation: string | undefined) => string;
  /** Whether an index may be of some rows only. */
  readonly hasPartialIndexes: boolean;
  /** What a table's definition checks of a column, since the engine's own type does not say it. */
  readonly columnCheck: (column: ResolvedColumn, name: string) => string | undefined;
  /**
   * The statement that gives schema and name of all tables, and whether a query sees the schema without
   * naming it: its first column is the schema's name then, else null.
   */
  readonly tablesQuery: string;
  /** Which writes can give back what became of their rows. */
  readonly returns: readonly ("insert" | "update" | "delete")[];
  /** Whether the conditions of a write may look into the table that it writes. */
  readonly seesTableWhileWriting: boolean;
  /** What an insert does where a row is there already: sets some of its columns, or nothing. */
  readonly onConflict: (by: readonly string[], set: string) => string;
  /** A column of the row that an insert would have added. */
  readonly proposed: (column: string) => string;
  /** Whether a derived table may look for what it works out in a list, and be part of a subquery. */
  readonly mergesLists: boolean;
  /** Whether groups of a derived table's rows are sorted by a bare column. */
  readonly sortsDerivedGroups: boolean;
  /** Whether a window function may be of a bare column of a derived table. */
  readonly windowsDerived: boolean;
  /** Whether a derived table inside of a subquery may refer to the rows outside of both. */
  readonly hasDeepCorrelation: boolean;
  /** Whether schemas are created by a statement; a schema of SQLite is a file that the caller attached. */
  readonly createsSchemas: boolean;
  /** Whether an index is created in a schema of its own, and a foreign key leads to tables of the same schema only. */
  readonly keepsToSchema: boolean;
  /** Whether a foreign key can be added to a table that is there, and cannot lead to one that is not. */
  readonly addsForeignKeys: boolean;
  /** What stands after a table's definition. */
  readonly tableSettings: string;
}

/**
 * An identifier between quotes of the engine's, which are doubled inside. Identifiers come from models,
 * so that there are few: each is quoted once.
 */
export function quoteWith(mark: string): (name: string) => string {
  const quoted = new Map<string, string>();
  return (name) => {
    const known = quoted.get(name);
    if (known !== undefined) return known;
    if (name.includes("\0")) throw new GemachError("IDENTIFIER_UNFIT", {});
    const made = `${mark}${name.replaceAll(mark, mark + mark)}${mark}`;
    quoted.set(name, made);
    return made;
  };
}

/** Kinds of number that travel as their digits, so as not to lose any; in a text they stand without quotes. */
export const isExact = (kind: ColumnKind): boolean => kind === "numeric" || kind === "bigint";

/** A text between single quotes. */
export const quotedText = (text: string): string => `'${text.replaceAll("'", "''")}'`;

/** A check that a choice is one of its texts. */
export const choiceCheck = (name: string, choices: readonly string[], literal: (text: string) => string): string =>
  `${name} in (${choices.map(literal).join(", ")})`;

/** What an insert does where a row is there already, as two of the engines say it. */
export const standardConflict = (by: readonly string[], set: string): string =>
  `on conflict (${by.join(", ")}) do ${set === "" ? "nothing" : `update set ${set}`}`;
