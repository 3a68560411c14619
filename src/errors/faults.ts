import { didYouMean } from "./suggest.js";

/** One fault: what it says of the names involved, and what to do about it. */
interface Fault<N> {
  readonly fault: (names: N) => string;
  readonly remedy: string;
}

const define = <N>(fault: (names: N) => string, remedy: string): Fault<N> => ({ fault, remedy });

/** "a: 'x', b: 'y'", for the names that are known. */
const known = (names: Readonly<Record<string, string | undefined>>): string => {
  const parts = Object.entries(names).flatMap(([label, name]) => (name === undefined ? [] : [`${label} '${name}'`]));
  return parts.length === 0 ? "" : ` (${parts.join(", ")})`;
};

/** What a violated constraint is known by; engines tell different parts of it. */
export interface ConstraintNames {
  readonly table?: string | undefined;
  readonly column?: string | undefined;
  readonly constraint?: string | undefined;
}

/**
 * Every fault that the library knows, by its code. A code is never reused for something else.
 * docs/errors.md lists the same codes; a test compares the two.
 */
export const faults = {
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
    (n: { column: string }) => `A condition on ${n.column} got undefined for a value.`,
    "Pass a value, use is(null) for rows without one, or add the condition with given(), which leaves it out when the value is not there.",
  ),
  VALUE_UNFIT: define(
    (n: { column: string; expected: string; got: string }) => `${n.column} takes ${n.expected}, but got ${n.got}.`,
    "Convert the value before it is handed over.",
  ),
  ENGINE_UNABLE: define(
    (n: { engine: string; what: string; instead: string }) => `${n.engine} cannot ${n.what}. ${n.instead}`,
    "Say it so on this engine; the others take both.",
  ),
  INDEX_UNABLE: define(
    (n: { entity: string; engine: string }) => `${n.engine} cannot keep only some rows of ${n.entity} unique.`,
    "Leave the condition out of the unique index, or keep the rule in code on this engine.",
  ),
  ENTITY_READ_ONLY: define(
    (n: { entity: string }) => `${n.entity} is only read, says the model.`,
    "Write to the tables behind it, or take readOnly from the entity.",
  ),
  RULE_BEYOND_ROW: define(
    (n: { entity: string; name: string }) => `The rule '${n.name}' of ${n.entity} asks for more than a row by itself.`,
    "Write it with the row's own columns and plain values; no database checks more by itself.",
  ),
  CHANGE_BEYOND_ROW: define(
    (n: { column: string }) => `What ${n.column} is given asks for more than the row by itself.`,
    "Use the row's own columns; fetch other values first, or write one statement for each.",
  ),
  RETURN_BEYOND_ROW: define(
    (n: { entity: string }) => `What a write is to return of ${n.entity} asks for more than the row by itself.`,
    "Return the row's own columns, and list the rest in the same transaction.",
  ),
  CHANGE_EMPTY: define(
    (n: { entity: string }) => `update() of ${n.entity} was given nothing to change.`,
    "Name at least one column.",
  ),
  NOT_NARROWED: define(
    (n: { call: string; entity: string }) => `${n.call}() would change every row of ${n.entity}.`,
    "Narrow the query with where(), or say { all: true } if that is meant.",
  ),
  WRITE_UNFIT: define(
    (n: { call: string; entity: string }) =>
      `${n.call}() takes a query of ${n.entity} itself, without joins, groups and projection.`,
    "Start from the entity, and name the rows by where().",
  ),
  COLUMN_COMPUTED: define(
    (n: { column: string }) => `${n.column} is worked out by the database, but a row brings a value for it.`,
    "Leave it out of the row.",
  ),
  VALUE_REFUSED: define(
    (n: { column: string; reason: string }) => `A value of ${n.column} does not meet the column's schema: ${n.reason}`,
    "Give a value that does; the entity's newRow and partialRow tell beforehand.",
  ),
  VALUE_LOSSY: define(
    (n: { kind: string }) => `A value from the database does not fit a column of kind ${n.kind} without loss.`,
    "Map the column with a kind that holds it: bigint for whole numbers of 64 bits, isoTimestamp for microseconds.",
  ),
  VALUE_UNREADABLE: define(
    (n: { kind: string }) => `A value from the database is none of kind ${n.kind}.`,
    "Map the column with the kind that its values have.",
  ),
  TEMPLATE_OPEN: define(
    (n: { parameter: string }) => `The template's parameter '${n.parameter}' has no value.`,
    "Run the query that the template's with() gives, not one made of its parameters.",
  ),
  CURSOR_UNFIT: define(
    (n: { reason: string }) => `The cursor does not fit: ${n.reason}.`,
    "Hand over a cursor that a slice of the same query, in the same order, gave.",
  ),
  LIMIT_UNFIT: define(
    (n: { method: string }) => `${n.method}() takes a whole number of at least 0.`,
    "Check the number where it comes in.",
  ),
  PREDICATE_EXPECTED: define(
    (n: { method: string }) => `${n.method}() got something that is no predicate.`,
    "Return a comparison such as row.name.is('Drill'), or several of them in and(...) or or(...).",
  ),
  ORDER_EXPECTED: define(
    (_: Record<never, never>) => "orderBy() got something that is no order.",
    "Return row.name.asc or row.name.desc, or a list of such.",
  ),
  ROW_OUT_OF_PLACE: define(
    (n: { entity: string }) => `An expression refers to a row of ${n.entity} that is not part of this query.`,
    "Use the row that the callback gets, not one kept from the callback of another query.",
  ),
  SET_CUT: define(
    (n: { entity: string; relation: string }) =>
      `A set of ${n.entity} that limit() or offset() cut leads to no '${n.relation}'.`,
    "Cut the set at the end of the path, or ask for what is behind it inside of select().",
  ),
  ROWS_UNLIKE: define(
    (n: { told: number; found: number }) =>
      `A statement gave rows of ${n.found} values, but ${n.told} columns were told.`,
    "Tell sql.rows() each column that the statement selects, in their order.",
  ),
  DISTINCT_UNFIT: define(
    (n: { entity: string }) => `distinct() of a query of ${n.entity} that has groups or windows.`,
    "Take the query as a source, from(query), and group its rows by what you want once.",
  ),
  QUERIES_UNLIKE: define(
    (n: { call: string; name: string; expected: string; got: string }) =>
      `The queries of ${n.call} do not match: '${n.name}' is ${n.expected} in the first, and ${n.got} in another.`,
    "Select values of the same names and kinds in each of them.",
  ),
  SELECTION_UNFIT: define(
    (n: { entity: string; path: string }) =>
      `The projection of ${n.entity} has something at '${n.path}' that is no expression.`,
    "Return columns, paths to columns, counts and the like, or plain objects of them; end a to-many path in count(), first() or, inside of an object, select().",
  ),
  RELATED_MISSING: define(
    (n: { entity: string; relation: string; target: string; key: string }) =>
      `A row of ${n.entity} has a key for '${n.relation}' (${n.key}) that leads to no row of ${n.target}.`,
    "Where that may be, say constraint: false of the relation, and it is null. Where another connection deletes meanwhile, read in a snapshot().",
  ),
  ROW_KEYLESS: define(
    (n: { column: string }) => `A row in memory has no ${n.column}, which the reach goes out from.`,
    "Fetch the column with the rows, or leave the relation out.",
  ),
  REACH_UNFIT: define(
    (n: { entity: string; relation: string; got: string }) =>
      `The reach of ${n.entity} has ${n.got} for '${n.relation}'.`,
    "Give true, an object of further relations, or a function that narrows the relation's query and returns it.",
  ),
  STRATEGY_UNKNOWN: define(
    (n: { given: string; known: readonly string[] }) => `There is no strategy '${n.given}'.`,
    "Use 'auto', 'join', 'batch' or 'nest'.",
  ),
  DIALECT_UNKNOWN: define(
    (n: { given: string; known: readonly string[] }) =>
      `There is no dialect '${n.given}'; there are ${n.known.join(", ")}.`,
    "Use one of these.",
  ),
  IDENTIFIER_UNFIT: define(
    (_: Record<never, never>) => "The name of a table or column has a NUL character in it.",
    "Correct the name in the model.",
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
    (n: { call: string }) => `${n.call} takes a query, but got something else.`,
    "Start a query with from(Entity).",
  ),
  ROWS_EXPECTED: define(
    (n: { call: string; entity: string }) =>
      `${n.call}() takes an array of rows of ${n.entity}, but got something else.`,
    "Put a single row in an array: [row].",
  ),
  ENTITY_EXPECTED: define(
    (n: { call: string }) => `${n.call} takes an entity of a model, but got something else.`,
    "Take the entity from the value that model() gave.",
  ),
  MODEL_EXPECTED: define(
    (_: Record<never, never>) => "A model was expected, but something else was given.",
    "Pass the whole value that model() gave.",
  ),
  DATABASE_EXPECTED: define(
    (_: Record<never, never>) => "A database was expected, but something else was given.",
    "Make one with database(driver).",
  ),
  NONE_FOUND: define(
    (n: { entity: string }) => `found 0 rows of ${n.entity} where exactly one was expected.`,
    "Use maybe() where the row may be missing.",
  ),
  SEVERAL_FOUND: define(
    (n: { entity: string; found: number; expected: string }) =>
      `found ${n.found} rows of ${n.entity} where ${n.expected} was expected.`,
    "Narrow the query with where(), take the first with limit(1), or use list().",
  ),
  TABLE_MISSING: define(
    (n: { table?: string | undefined; engine: string }) =>
      `The database (${n.engine}) has no table${n.table === undefined ? " of a name in the statement" : ` '${n.table}'`}.`,
    "Create the tables with layOut(db, model), or check that the connection leads to the right database and schema.",
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
  CONNECTION_REFUSED: define(
    (n: { engine: string; host?: string | undefined; port?: number | undefined }) =>
      `No ${n.engine} server answers${n.host === undefined ? "" : ` at ${n.host}${n.port === undefined ? "" : `:${n.port}`}`}.`,
    "Check that the server runs and that host and port are right.",
  ),
  CONNECTION_DENIED: define(
    (n: { engine: string; database?: string | undefined; user?: string | undefined }) =>
      `The ${n.engine} server answered, but does not let this connection in${known({ database: n.database, user: n.user })}.`,
    "Check user, password and the name of the database.",
  ),
  CONNECTION_LOST: define(
    (n: { engine: string }) => `The connection to the database (${n.engine}) ended before the statement did.`,
    "Run it again if that does no harm; the server's log says why it hung up.",
  ),
  UNIQUE_VIOLATED: define(
    (n: ConstraintNames) => `A row with the same unique value is there already${known({ ...n })}.`,
    "Change the value, or update the row that is there.",
  ),
  FOREIGN_KEY_VIOLATED: define(
    (n: ConstraintNames) => `A key refers to a row that does not exist, or is still referred to${known({ ...n })}.`,
    "Write the row that is referred to first; delete those that refer to it first.",
  ),
  NOT_NULL_VIOLATED: define(
    (n: ConstraintNames) => `A column that must have a value got none${known({ ...n })}.`,
    "Give it a value, or make it nullable in the table and in the model.",
  ),
  CHECK_VIOLATED: define(
    (n: ConstraintNames) => `A value breaks a rule of the table${known({ ...n })}.`,
    "Give a value that keeps the rule.",
  ),
  STATEMENTS_EXHAUSTED: define(
    (n: { engine: string }) => `${n.engine} holds as many prepared statements as it may.`,
    "Let the pool keep fewer for each connection (mysql2: maxPreparedStatements), or raise the server's max_prepared_stmt_count.",
  ),
  BUSY: define(
    (n: { engine: string }) => `The database (${n.engine}) is locked by another connection.`,
    "Try again, or let the handle wait longer for the lock.",
  ),
  DEADLOCK: define(
    (n: { engine: string }) => `The database (${n.engine}) ended the transaction to undo a deadlock.`,
    "Run the whole transaction again.",
  ),
  SERIALIZATION_FAILED: define(
    (n: { engine: string }) => `The database (${n.engine}) could not put this transaction in an order with the others.`,
    "Run the whole transaction again.",
  ),
  CANCELLED: define(
    (n: { engine: string }) => `The statement was cancelled before it ended (${n.engine}).`,
    "Allow it more time, or make it do less.",
  ),
  STATEMENT_REFUSED: define(
    (n: { engine: string; reason: string; statement: string }) =>
      `The database (${n.engine}) refused a statement: ${n.reason}\n  ${n.statement}`,
    "If the statement came from this library's own builder, this is a fault worth reporting.",
  ),
  PACKAGE_MISSING: define(
    (n: { package: string; purpose: string }) =>
      `${n.purpose} needs the package '${n.package}', which is not installed.`,
    "Install it beside gemach with your package manager.",
  ),
} as const;

/** The stable code of a fault. */
export type FaultCode = keyof typeof faults;

/** The names that a fault of this code involves. */
export type FaultNames<C extends FaultCode> = Parameters<(typeof faults)[C]["fault"]>[0];
