import { define } from "./define.js";

/** "a: 'x', b: 'y'", for the names that are known. */
const known = (names: Readonly<Record<string, string | readonly string[] | undefined>>): string => {
  const parts = Object.entries(names).flatMap(([label, name]) =>
    name === undefined ? [] : [`${label} '${[name].flat().join("', '")}'`],
  );
  return parts.length === 0 ? "" : ` (${parts.join(", ")})`;
};

/** The names of a violated constraint; engines report different ones. */
export interface ConstraintNames {
  readonly table?: string | undefined;
  readonly column?: string | undefined;
  readonly constraint?: string | undefined;
  /** The entity whose rows break it: of a foreign key the one that holds it. */
  readonly entity?: string | undefined;
  /** Its columns, by their names in the entity; of SQL of one's own by those in the table. */
  readonly columns?: readonly string[] | undefined;
}

/** What a broken constraint is of, in the model's words where these are known. */
const ofConstraint = ({ entity, columns, table, column, constraint }: ConstraintNames): string =>
  entity === undefined ? known({ table, column, constraint }) : known({ entity, columns, constraint });

/** What goes wrong between here and the database, in transactions, and what the database itself says. */
export const serverFaults = () =>
  ({
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
    VALUE_SEVERAL: define(
      (n: { engine: string }) => `A query that stands for one value, by scalar(), has several rows (${n.engine}).`,
      "Narrow it, aggregate it by totals(), or take the first in its order by firstOf().",
    ),
    TRANSACTION_ENDED: define(
      (n: { isLent: boolean }) =>
        n.isLent
          ? "The transaction is lent to one inside of it: its own handle has to wait until that one has ended."
          : "The transaction has ended: its handle takes no more statements.",
      "Inside of transaction(), use the handle that the work gets, and await all that it starts.",
    ),
    TRANSACTION_AWAITED: define(
      (n: { engine: string }) =>
        `A verb of the database, or another transaction, was called inside of a transaction on the only connection there is (${n.engine}): it would wait for ever.`,
      "Use the handle that the work of the transaction gets; or give the pool more connections.",
    ),
    TRANSACTION_FAILED: define(
      (n: {
        engine: string;
        /** Whether the database has rolled the transaction back already. */
        isOver?: boolean;
      }) =>
        n.isOver === true
          ? `A statement of the transaction has failed before, and ${n.engine} rolled the whole transaction back: nothing of it is written.`
          : `A statement of the transaction has failed before, and ${n.engine} takes no other one until it is rolled back: nothing of it is written.`,
      (n) =>
        n.isOver === true
          ? "Let the error of that statement out, so that the whole transaction can run again; it is the cause of this one."
          : "Let the error of that statement out; or put what may fail into a transaction() of its own inside of this one.",
    ),
    TRANSACTION_WEAKER: define(
      (n: { wanted: string; has: string }) =>
        `A transaction inside of another one asks for the isolation level '${n.wanted}', and the one around it has '${n.has}'.`,
      "Begin the outermost one with that level: transaction(work, { isolation }), undone(db, work, { isolation }).",
    ),
    PREPARED_OUTDATED: define(
      (n: { engine: string; reason: string }) =>
        `What the connection had prepared is of no use for this statement (${n.engine}): ${n.reason}.`,
      "Run the whole transaction again, as its option `retries` does. Behind a connection pooler, leave out `prepare`, or say postgres(pool, { prepare: false }).",
    ),
    ANSWER_FOREIGN: define(
      (n: { engine: string }) =>
        `${n.engine} answered with the columns of another statement than the one that was sent, so that its rows are refused.`,
      "Something between here and the server shares its connections: say postgres(pool, { prepare: false }).",
    ),
    LOCK_OUTSIDE: define(
      (n: { entity: string }) =>
        `A query of ${n.entity} locks rows outside of a transaction, where the lock ends with its statement.`,
      "Run it inside of db.transaction(), by the handle that the work gets.",
    ),
    TRANSACTION_READ_ONLY: define(
      (n: { call: string }) => `${n.call}() is for transactions that write, and this one only reads.`,
      "Leave readOnly out of the transaction's options.",
    ),
    COMMIT_UNKNOWN: define(
      (_: Readonly<Record<never, never>>) =>
        "The connection was lost in the middle of the commit: whether the transaction was committed is not known.",
      "Look for what it would have written before it is done again.",
    ),
    AFTER_COMMIT_FAILED: define(
      (n: { count: number }) =>
        `The transaction is committed, but ${n.count === 1 ? "something" : `${n.count} things`} that afterCommit() was given failed.`,
      "The cause is the first of the errors; nothing was undone.",
    ),
    CONNECTION_LOST: define(
      (n: { engine: string }) => `The connection to the database (${n.engine}) ended before the statement did.`,
      "Run it again if that does no harm; the server's log says why it hung up.",
    ),
    CONNECTION_CLOSED: define(
      (n: { engine: string }) => `The handle or pool of the database (${n.engine}) was closed before this statement.`,
      "Close it once all that uses it has come to its end.",
    ),
    POOL_EXHAUSTED: define(
      (n: { engine: string }) => `No connection of the pool (${n.engine}) became free in time.`,
      "Look for work that keeps its connection, such as a stream that is not read to its end; else give the pool more, or more time.",
    ),
    UNIQUE_VIOLATED: define(
      (n: ConstraintNames) => `A row with the same unique value is there already${ofConstraint(n)}.`,
      "Change the value, or update the row that is there.",
    ),
    FOREIGN_KEY_VIOLATED: define(
      (n: ConstraintNames) => `A key refers to a row that does not exist, or is still referred to${ofConstraint(n)}.`,
      "Write the row that is referred to first; delete those that refer to it first.",
    ),
    NOT_NULL_VIOLATED: define(
      (n: ConstraintNames) => `A column that must have a value got none${ofConstraint(n)}.`,
      "Give it a value, or make it nullable in the table and in the model.",
    ),
    CHECK_VIOLATED: define(
      (n: ConstraintNames) => `A value breaks a rule of the table${ofConstraint(n)}.`,
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
      (n: { engine: string }) =>
        `The database (${n.engine}) could not put this transaction in an order with the others.`,
      "Run the whole transaction again.",
    ),
    CANCELLED: define(
      (n: { engine: string }) => `The statement was cancelled before it ended (${n.engine}).`,
      "Allow it more time, or make it do less.",
    ),
    BUDGET_EXCEEDED: define(
      (n: {
        /** What was spent: "statements", "rows" or "milliseconds". */
        what: string;
        most: number;
        groups: readonly {
          readonly count: number;
          readonly text: string;
          readonly verb: string;
          readonly at?: string | undefined;
        }[];
        /** The waste behind it, where one is found. */
        finding?: string | undefined;
      }) =>
        `The budget of ${n.most} ${n.most === 1 ? n.what.replace(/s$/, "") : n.what} is used up:\n${n.groups
          .slice(0, 10)
          .map(
            ({ count, text, verb, at }) =>
              `  - ${count} × ${verb}${at === undefined ? "" : ` at ${at}`}: ${text.length > 120 ? `${text.slice(0, 119)}…` : text}`,
          )
          .join("\n")}${n.finding === undefined ? "" : `\n${n.finding}`}`,
      "Bring rows along by reach, or write many at once, so that fewer are sent; or allow more.",
    ),
    ABORTED: define(
      (n: { call: string }) => `${n.call}() was ended by its signal.`,
      "Call it again with a signal that is not aborted, where its result is still wanted; the cause is the signal's reason.",
    ),
    TIME_LIMIT_PASSED: define(
      (n: { call: string; milliseconds: number }) =>
        `${n.call}() was ended since its timeLimit of ${n.milliseconds} milliseconds had passed.`,
      "Allow it more time, or make it do less; it may also have waited for a connection.",
    ),
    STORAGE_FULL: define(
      (n: { engine: string }) => `The database (${n.engine}) has no room for what was to be written; nothing was.`,
      "Give it more room, or delete what is not needed.",
    ),
    TEXTS_UNLIKE: define(
      (n: { engine: string; reason: string }) =>
        `The database (${n.engine}) does not compare or join texts of these character sets and collations: ${n.reason}.`,
      "Give the columns one character set and collation (utf8mb4 holds every text); or look for texts that the column can hold.",
    ),
    PERMISSION_DENIED: define(
      (n: { engine: string; reason: string }) =>
        `The database (${n.engine}) does not allow the user of this connection to do this: ${n.reason}.`,
      "Grant the user the privilege (GRANT), or connect as one who has it.",
    ),
    VALUE_BEYOND_COLUMN: define(
      (n: { engine: string; reason: string }) =>
        `A value does not fit into its column, or a calculation into its type (${n.engine}): ${n.reason}.`,
      "Give a value that fits. Where the model allows what the table does not, `gemach verify` names the column.",
    ),
    WRITE_BARRED: define(
      (n: { engine: string; reason: string }) => `The database (${n.engine}) lets nobody write this: ${n.reason}.`,
      "Mark a column that the database computes as computed, leave out a number that it always hands out itself, and mark a view as readOnly in the model.",
    ),
    TRIGGER_REFUSED: define(
      (n: { engine: string; reason: string }) =>
        `A trigger or function of the database (${n.engine}) refused this: ${n.reason}.`,
      "Give values that it accepts; its own code says which.",
    ),
    SERVER_READ_ONLY: define(
      (n: { engine: string; reason: string }) => `The database (${n.engine}) takes no writes: ${n.reason}.`,
      "Connect to the primary server: a standby takes none. Inside of a transaction, see whether a function sets it to read only.",
    ),
    SERVER_UNREADY: define(
      (n: { engine: string; reason: string }) => `The ${n.engine} server takes no further connection now: ${n.reason}.`,
      "Try again later. All pools together may have as many connections as the server allows.",
    ),
    STATEMENT_REFUSED: define(
      (n: { engine: string; reason: string; statement: string }) =>
        `The database (${n.engine}) refused a statement: ${n.reason}\n  ${n.statement}`,
      "If the statement came from this library's own builder, this is a fault worth reporting.",
    ),
  }) as const;
