import { GemachError } from "../errors/index.js";
import { sha256 } from "./postgres-sha256.js";

/** The part of a connection that is used. */
interface Connection {
  query(text: string): Promise<unknown>;
}

/** How many texts one connection keeps prepared; measured: a server's process holds about 24 KB for each. */
const mostPrepared = 500;

/** How many of them are closed at once, the least used first, when there are more. */
const closedAtOnce = 50;

/** A column of an answer, as the server describes it. */
export interface AnswerField {
  readonly name: string;
  readonly dataTypeID: number;
}

/** What a statement is sent with but for its values. */
interface QueryFacts {
  readonly text: string;
  readonly rowMode: "array";
  readonly types: object;
  readonly name: string;
}

/** A text that a connection has prepared. */
export interface PreparedStatement {
  /**
   * What each run of it inherits. The package copies a query property by property, each with its description: five of
   * its own took a thirtieth of a statement, one does not.
   */
  readonly facts: QueryFacts;
  /** How often it was run. */
  runs: number;
  /** When it was run last, counted in runs of all. */
  last: number;
  /** Whether it is known that its kept plan is as good as another. */
  isSettled: boolean;
  /** The columns that the run answered with which prepared it, and so is sure to have been of this text. */
  fields: readonly AnswerField[] | undefined;
}

/** The statements that a connection has prepared. */
export interface Prepared {
  readonly statements: Map<string, PreparedStatement>;
  runs: number;
}

/** The names of the texts of a pool. */
export type StatementNames = ReturnType<typeof statementNames>;

/**
 * Names that are of their text alone, by SHA-256: a server's connection that a pooler shares may have a statement of
 * one name from anybody, and it must be this one. The server finds out the types of the parameters by itself, so that
 * the text decides them too.
 */
export function statementNames(mostKept: number) {
  const names = new Map<string, string>();
  /** How often a text was found to be prepared for a table that had changed since. */
  const changes = new Map<string, number>();
  return {
    of: (text: string): string => {
      let name = names.get(text);
      if (name === undefined) {
        if (names.size >= mostKept) names.clear();
        const change = changes.get(text);
        name = `gemach_${sha256(change === undefined ? text : `${change}\n${text}`).slice(0, 40)}`;
        names.set(text, name);
      }
      return name;
    },
    /** What is prepared by the text's name is for a table that has changed: it gets another one. */
    renew: (text: string): void => {
      changes.set(text, (changes.get(text) ?? 0) + 1);
      names.delete(text);
    },
  };
}

/** A text as a connection has it, which prepares it where it has not yet. */
export function preparedStatement(
  known: Prepared,
  text: string,
  names: StatementNames,
  types: object,
): PreparedStatement {
  let statement = known.statements.get(text);
  if (statement === undefined) {
    const facts = { text, rowMode: "array", types, name: names.of(text) } as const;
    statement = { facts, runs: 0, last: 0, isSettled: false, fields: undefined };
    known.statements.set(text, statement);
  }
  statement.last = ++known.runs;
  return statement;
}

/**
 * Notes the columns of a prepared statement's answer, or compares them with those that it had when it was prepared.
 * @throws GemachError `ANSWER_FOREIGN` where they are not its own.
 */
export function expectOwnAnswer(statement: PreparedStatement, fields: readonly AnswerField[] | undefined): void {
  if (fields === undefined) return;
  const { fields: own } = statement;
  if (own === undefined) {
    statement.fields = fields;
    return;
  }
  let isOwn = own.length === fields.length;
  for (let i = 0; isOwn && i < fields.length; i++)
    isOwn = fields[i]?.name === own[i]?.name && fields[i]?.dataTypeID === own[i]?.dataTypeID;
  if (!isOwn) throw new GemachError("ANSWER_FOREIGN", { engine: "PostgreSQL" });
}

/**
 * Whether an error says that a connection has not prepared what it was thought to have (26000), or has already (42P05):
 * a pooler's work.
 */
export const isOfOtherConnection = (error: unknown): boolean =>
  ["26000", "42P05"].includes((error as { readonly code?: string }).code ?? "");

export const hasTooMany = ({ statements }: Prepared): boolean => statements.size > mostPrepared;

/** Has the server forget the texts that a connection used least. */
export async function closeLeastUsed(client: Connection, { statements }: Prepared): Promise<void> {
  const least = [...statements].toSorted(([, one], [, other]) => one.last - other.last).slice(0, closedAtOnce);
  const { connection } = client as { readonly connection?: { readonly parsedStatements?: Record<string, unknown> } };
  for (const [text, { facts }] of least) {
    statements.delete(text);
    // The package would keep the text of each name for as long as the connection lives.
    delete connection?.parsedStatements?.[facts.name];
  }
  await client.query(least.map(([, { facts }]) => `deallocate ${facts.name}`).join("; "));
}
