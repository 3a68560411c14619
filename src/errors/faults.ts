import { define } from "./define.js";
import { liveFaults } from "./live-faults.js";
import { serverFaults } from "./server-faults.js";
import { didYouMean, listed } from "./suggest.js";
import type { ToolFaults } from "./tool-faults.js";
import type { WorkFaults } from "./work-faults.js";

/** Where a value was given that is written: the call, and the number of the row, from 1. */
export interface GivenNames {
  readonly call?: string | undefined;
  readonly row?: number | undefined;
}

const position = ({ call, row }: GivenNames): string => {
  if (call === undefined) return "";
  return row === undefined ? `In ${call}(): ` : `In row ${row} of ${call}(): `;
};

/** Where a value was read: "Loan.due", in the row of a key where that may be shown. */
export interface ReadNames {
  readonly column?: string | undefined;
  readonly key?: string | undefined;
}

const readPlace = ({ column, key }: ReadNames): string =>
  column === undefined ? "A value" : `The value of ${column}${key === undefined ? "" : ` in the row with ${key}`}`;

/** Made when the first of them happens, for most programs have none. */
const all = () =>
  ({
    MODEL_INVALID: define(
      (n: { mistakes: readonly string[] }) =>
        `The model has ${n.mistakes.length === 1 ? "a mistake" : `${n.mistakes.length} mistakes`}:\n${n.mistakes.map((m) => `  - ${m}`).join("\n")}`,
      "Correct each line where the model is written.",
    ),
    NAME_UNKNOWN: define(
      (n: { entity: string; name: string; known: readonly string[] }) =>
        `${n.entity} has no '${n.name}'; it has ${n.known.join(", ")}.${didYouMean(n.name, n.known)}`,
      "Use one of these names, or add the column or relation to the model.",
    ),
    VALUE_MISSING: define(
      (n: { column: string }) => `The value for ${n.column} is undefined.`,
      "Pass a value. For rows without one use is(null); for a condition that may be left out, given().",
    ),
    COLUMN_WITHOUT_VALUE: define(
      (n: { column: string; expected: string } & GivenNames) =>
        `${position(n)}${n.column} has no value. It takes ${n.expected}.`,
      "Give the row a value for it; or make the column nullable, or give it a default, in the table and in the model.",
    ),
    VALUE_UNFIT: define(
      (n: { column: string; expected: string; got: string } & GivenNames) =>
        `${position(n)}${n.column} takes ${n.expected}, but got ${n.got}.`,
      "Convert the value before it is handed over.",
    ),
    KIND_UNFIT: define(
      (n: { call: string; kinds: readonly string[]; column: string; kind: string }) =>
        `${n.call}() works on ${listed(n.kinds)}, but ${n.column} is of kind ${n.kind}.`,
      "Use it on an expression of such a kind; asText(), asDouble() and their like change one kind into another.",
    ),
    ENGINE_UNABLE: define(
      (n: { engine: string; what: string; instead: string }) => `${n.engine} cannot ${n.what}.`,
      (n) => n.instead,
    ),
    INDEX_UNABLE: define(
      (n: { entity: string; engine: string }) =>
        `The unique index of ${n.entity} has a condition, which ${n.engine} does not support.`,
      "Remove the condition from the index, or check the rule in code on this engine.",
    ),
    DEFINITION_MISSING: define(
      (n: { column: string; what: "default" | "computation" }) =>
        `The table of ${n.column} cannot be created: ${n.what === "default" ? "the column is marked as defaulted, but no default is said" : "the column is computed, but 'computes' does not say of what"}.`,
      "Say it in the model, by defaultsTo() or computes; or create the table by hand.",
    ),
    ENTITY_READ_ONLY: define(
      (n: { entity: string }) => `${n.entity} cannot be written: the model marks it as read-only.`,
      "Write to the tables behind it, or remove readOnly from the entity's options.",
    ),
    RULE_BEYOND_ROW: define(
      (n: { entity: string; name: string }) =>
        `The rule '${n.name}' of ${n.entity} needs more than the row's own columns.`,
      "Write it with the row's own columns and plain values: a database checks nothing else in a rule.",
    ),
    CHANGE_BEYOND_ROW: define(
      (n: { column: string; call: "update" | "upsert" }) =>
        `In ${n.call}(): the new value of ${n.column} needs more than ${n.call === "update" ? "one row at a time: it is of a group or a window" : "the columns of the row itself"}.`,
      "List the values first, and write them by a statement of their own.",
    ),
    RETURN_BEYOND_ROW: define(
      (n: { entity: string }) =>
        `The option 'returning' of a write to ${n.entity} needs more than the row's own columns.`,
      "Return the row's own columns, and list the rest in the same transaction.",
    ),
    CHANGE_EMPTY: define(
      (n: { entity: string }) => `update() of ${n.entity} changes no column.`,
      "Give at least one column a value that is not undefined.",
    ),
    NOT_NARROWED: define(
      (n: { call: string; entity: string }) => `${n.call}() without a condition would affect every row of ${n.entity}.`,
      "Narrow the query with where(), or pass { all: true } if every row is meant.",
    ),
    WRITE_UNFIT: define(
      (n: { call: string; entity: string }) =>
        `${n.call}() got a query of ${n.entity} with joins, groups or a projection.`,
      "Start from the entity itself, and choose the rows by where().",
    ),
    COLUMN_COMPUTED: define(
      (n: { column: string } & GivenNames) =>
        `${position(n)}${n.column} is given a value, but the database computes it.`,
      "Remove it from the row.",
    ),
    VALUE_REFUSED: define(
      (n: { column: string; reason: string } & GivenNames) =>
        `${position(n)}The value of ${n.column} does not meet the column's schema: ${n.reason}.`,
      "Give a value that meets it; the entity's newRowSchema and partialRowSchema check rows beforehand.",
    ),
    VALUE_LOSSY: define(
      (n: { kind: string } & ReadNames) =>
        `${readPlace(n)} in the database has more digits than the kind ${n.kind} holds.`,
      "Map the column with a kind that holds it: bigint for whole numbers of 64 bits, text for a document with longer ones.",
    ),
    VALUE_UNREADABLE: define(
      (n: { kind: string } & ReadNames) => `${readPlace(n)} in the database is no value of the kind ${n.kind}.`,
      "Map the column with the kind that its values have, or correct the value.",
    ),
    VALUE_NULL: define(
      (n: ReadNames) => `${readPlace(n)} in the database is null, which its type does not allow.`,
      "Where it may be null, make the column nullable in the model, or the kind that sql() is given; else correct the value.",
    ),
    TEMPLATE_OPEN: define(
      (n: { parameter: string }) => `The template's parameter '${n.parameter}' has no value.`,
      "Run the query that the template's with() returns, not one made of its parameters.",
    ),
    STANDING_OPEN: define(
      (n: { name: string }) =>
        `An entity is restricted by the value '${n.name}', which the database handle does not have.`,
      (n) => `Use a handle that has it, db.as({ ${n.name}: … }); or lift the condition for the query, .lift("…").`,
    ),
    REFERENCE_HIDDEN: define(
      (n: { entity: string; columns: readonly string[]; target: string }) =>
        `A row of ${n.entity} was to refer by ${n.columns.join(", ")} to a row of ${n.target} that this database handle does not see.`,
      "Give it the key of a row that the handle reads. That a foreign key allows it does not say whose row it is.",
    ),
    STANDING_BROKEN: define(
      (n: { column: string; call: string; row?: number | undefined }) =>
        `${n.row === undefined ? "" : `In row ${n.row}: `}${n.call}() gives ${n.column} another value than the database handle has for it.`,
      "Leave the column out: it gets the handle's value by itself.",
    ),
    LINES_UNREADABLE: define(
      (n: { line: number }) => `Line ${n.line} is none of a ledger's that was written down.`,
      "Pass the whole text that ledgerLines() gave.",
    ),
    CURSOR_UNFIT: define(
      (n: { reason: string }) => `The cursor cannot be used: ${n.reason}.`,
      "Pass a cursor that portion() of the same query, in the same order, returned.",
    ),
    LIMIT_UNFIT: define(
      (n: { method: string; least: number }) => `${n.method}() takes a whole number of at least ${n.least}.`,
      "Check the number where it comes in.",
    ),
    PREDICATE_EXPECTED: define(
      (n: { method: string }) =>
        `The function given to ${n.method}() must return a predicate, but returned something else.`,
      "Return a comparison such as row.name.is('Drill'), or several of them in and(...) or or(...).",
    ),
    PREDICATE_UNUSED: define(
      (n: { method: string; unused: number }) =>
        `The function given to ${n.method}() makes ${n.unused === 1 ? "a predicate" : `${n.unused} predicates`} that what it returns does not contain.`,
      "Combine predicates with and(...) and or(...): && and || keep only one of them.",
    ),
    ORDER_EXPECTED: define(
      (_: Record<never, never>) => "The function given to orderBy() must return an order, but returned something else.",
      "Return row.name.asc or row.name.desc, or a list of such.",
    ),
    ROW_OUT_OF_PLACE: define(
      (n: { entity: string }) => `An expression uses a row of ${n.entity} that is not part of this query.`,
      "Use the row that the callback gets, not one kept from the callback of another query.",
    ),
    SET_CUT: define(
      (n: { entity: string; relation: string }) =>
        `A set of ${n.entity} with limit() or offset() cannot go on to '${n.relation}'.`,
      "Call limit() and offset() at the end of the path, or select the further relation inside of select().",
    ),
    ROWS_UNLIKE: define(
      (n: { named: number; found: number }) =>
        `The statement gave rows of ${n.found} values, but sql.rows() names ${n.named} columns.`,
      "Name each column that the statement selects in sql.rows(), in their order.",
    ),
    ORDER_UNFIT: define(
      (n: { entity: string; by: string }) =>
        `Groups, or different rows, of ${n.entity} are sorted by ${n.by}, which may differ within one of them.`,
      "Sort by what is selected or grouped by; or by an aggregate, such as the least.",
    ),
    DISTINCT_UNFIT: define(
      (n: { entity: string }) => `distinct() does not work on a query of ${n.entity} that has groups or windows.`,
      "Use the query as a source, from(query), and group its rows.",
    ),
    WINDOW_UNFIT: define(
      (n: { call: string }) =>
        `A window function sees the rows that were chosen: it cannot be asked for in ${n.call}().`,
      "Select it, and narrow the query of that: from(query).where((row) => …).",
    ),
    ROWS_CUT: define(
      (n: { call: string }) =>
        `${n.call}() works things out of all rows of a query, and this one has a limit() or offset().`,
      "Take it of from(query), whose rows are those that the limit leaves.",
    ),
    QUERIES_UNLIKE: define(
      (n: { call: string; name: string; expected: string; got: string }) =>
        `The queries given to ${n.call}() differ: '${n.name}' is ${n.expected} in the first, and ${n.got} in another.`,
      "Select values of the same names and kinds in each of them.",
    ),
    SELECTION_UNFIT: define(
      (n: { entity: string; path: string; got: string }) =>
        `The projection of ${n.entity} has ${n.got} at ${n.path}, where an expression is expected.`,
      "Return columns, paths to columns, counts and the like, or plain objects of them; end a to-many path in count(), first() or, inside of an object, select().",
    ),
    RELATED_MISSING: define(
      (n: { entity: string; relation: string; target: string; key: string }) =>
        `A row of ${n.entity} has a key for '${n.relation}' (${n.key}), but ${n.target} has no such row.`,
      "Where that may happen, give the relation constraint: false, and it is null. Where another connection deletes rows meanwhile, read in a snapshot().",
    ),
    KEY_MISSING: define(
      (n: { entity: string; call: string }) =>
        `${n.call} tells the rows of ${n.entity} apart by their primary key, and the model says that they have none.`,
      "Mark the columns that tell its rows apart with .key, if the table has such; else choose rows by where() alone, and list them.",
    ),
    ROW_KEYLESS: define(
      (n: { call?: string; column: string }) =>
        `A row given to ${n.call ?? "reach"}() has no ${n.column}, which the relation needs.`,
      "Fetch the column with the rows, or leave the relation out.",
    ),
    REACH_PARTIAL: define(
      (n: { entity: string; relation: string }) =>
        `In a unit of work reach() of ${n.entity} brings only a part of '${n.relation}', or something else in its place: it would stand for the relation itself wherever the entity is met.`,
      "Reach the whole relation; or query its rows with along(Entity, row, relation), or select what is needed.",
    ),
    ...liveFaults(),
    REACH_UNFIT: define(
      (n: { entity: string; relation: string; got: string }) =>
        `reach() of ${n.entity} has ${n.got} for '${n.relation}'.`,
      "Give true, an object of further relations, or a function that narrows the relation's query and returns it.",
    ),
    OUTSIDE_UNKNOWN: define(
      (n: { given: string; known: readonly string[] }) =>
        `There is no rule '${n.given}' for what is outside of a query's reach.`,
      (n) => `Use one of ${n.known.map((name) => `"${name}"`).join(", ")}.`,
    ),
    STRATEGY_UNKNOWN: define(
      (n: { given: string; known: readonly string[] }) => `There is no strategy '${n.given}'.`,
      (n) => `Use one of ${n.known.map((name) => `'${name}'`).join(", ")}.`,
    ),
    HANDLE_EXPECTED: define(
      (n: { call: string; expected: string; got: string }) => `${n.call} takes ${n.expected}, but got ${n.got}.`,
      "Pass what the driver's package makes, as in the driver's own example.",
    ),
    DIALECT_EXPECTED: define(
      (n: { call: string; got: string }) => `${n.call} takes a dialect, but got ${n.got}.`,
      "Pass the dialect that a driver's module exports, such as sqliteDialect of gemach/sqlite, or db.dialect.",
    ),
    IDENTIFIER_UNFIT: define(
      (_: Record<never, never>) => "The name of a table or column has a NUL character in it.",
      "Correct the name in the model.",
    ),
    PLATFORM_UNABLE: define(
      (n: { option: string }) =>
        `This platform cannot follow asynchronous calls, which the option '${n.option}' needs.`,
      "Leave the option out, and use the handle that the work gets.",
    ),
    OPTION_UNKNOWN: define(
      (n: { call: string; option: string; known: readonly string[] }) =>
        `${n.call} has no option '${n.option}'; it has ${n.known.join(", ")}.${didYouMean(n.option, n.known)}`,
      "Use one of these options.",
    ),
    QUERY_NOT_RUN: define(
      (n: { entity: string }) => `A query of ${n.entity} is a value, not its rows: it cannot be looped over.`,
      "Run it with a verb of a database, and loop over what comes back: for (const row of await db.list(query)) …",
    ),
    QUERY_EXPECTED: define(
      (n: { call: string; got: string }) => `${n.call}() takes a query, but got ${n.got}.`,
      "Make a query of an entity with from(Entity).",
    ),
    ROWS_EXPECTED: define(
      (n: { call: string; entity: string; got: string }) =>
        `${n.call}() takes an array of rows of ${n.entity}, but got ${n.got}.`,
      "Put a single row in an array: [row].",
    ),
    ENTITY_EXPECTED: define(
      (n: { call: string; got: string }) =>
        `${n.call}() takes an entity of a model${n.call === "from" ? ", or a query" : ""}, but got ${n.got}.`,
      "Take the entity from the value that model() returned.",
    ),
    MODEL_EXPECTED: define(
      (n: { call: string; got: string }) => `${n.call}() takes a model, but got ${n.got}.`,
      "Pass the value that model() returned.",
    ),
    DATABASE_EXPECTED: define(
      (n: { call: string; got: string }) => `${n.call}() takes a database, but got ${n.got}.`,
      "Make one with database(driver).",
    ),
    NONE_FOUND: define(
      (n: { entity: string; call?: string }) => `${n.call ?? "single"}() found no row of ${n.entity}.`,
      "Use maybe() where the row may be missing.",
    ),
    SEVERAL_FOUND: define(
      (n: { call: string; entity: string; found: number }) =>
        `${n.call}() found ${n.found} rows of ${n.entity}, where one is expected.`,
      "Narrow the query with where(), take the first with limit(1), or use list().",
    ),
    TABLE_MISSING: define(
      (n: { table?: string | undefined; engine: string }) =>
        `The database (${n.engine}) has no table${n.table === undefined ? " of a name in the statement" : ` '${n.table}'`}.`,
      "Create the tables with createTables(db, model), or check that the connection leads to the right database and schema.",
    ),
    COLUMN_MISSING: define(
      (n: { column?: string | undefined; engine: string }) =>
        `The database (${n.engine}) has no column${n.column === undefined ? " of a name in the statement" : ` '${n.column}'`}.`,
      "Compare the model's columns with the table's; columnNames of model() says how column names are derived.",
    ),
    FILE_UNUSABLE: define(
      (n: { file?: string | undefined; reason: string }) =>
        `The database file${n.file ? ` '${n.file}'` : ""} cannot be used: ${n.reason}.`,
      "Check the path, that it is an SQLite file, and that this process may read and write it and its folder.",
    ),
    MARK_MISSING: define(
      (n: { entity: string }) =>
        `${n.entity} has no rows that are only marked as removed, so that none can be restored.`,
      "Give the entity a standing condition with `removed`; rows that were deleted are gone.",
    ),
    ...serverFaults(),
    PACKAGE_MISSING: define(
      (n: { package: string; purpose: string }) =>
        `${n.purpose} needs the package '${n.package}', which is not installed.`,
      "Install it beside gemach with your package manager.",
    ),
  }) as const;

type OwnFaults = ReturnType<typeof all>;
type Faults = OwnFaults & ToolFaults & WorkFaults;
let made: OwnFaults | undefined;

/**
 * Every fault that the library knows, by its code, but those of tools and of units of work. A code is never reused for
 * something else. docs/errors.md lists the same codes; a test compares the two.
 */
export function faults(): OwnFaults {
  made ??= all();
  return made;
}

/** The stable code of a fault. */
export type FaultCode = keyof Faults;

/** The names that a fault of this code involves. */
export type FaultNames<C extends FaultCode> = Parameters<Faults[C]["fault"]>[0];
