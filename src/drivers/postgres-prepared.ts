/** What is used of a connection. */
interface Connection {
  query(text: string): Promise<unknown>;
}

/** How many texts one connection keeps prepared; measured: a server's process holds about 24 KB for each. */
const mostPrepared = 500;

/** How many of them are closed at once, the least used first, when there are more. */
const closedAtOnce = 50;

/** What sets this copy of the library apart from another over the same pool. */
const own = Math.random().toString(36).slice(2, 6);

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
   * What each run of it inherits. The package copies a query property by property, each with its description: five of its own took
   * a thirtieth of a statement, one does not.
   */
  readonly facts: QueryFacts;
  /** How often it was run. */
  runs: number;
  /** When it was run last, counted in runs of all. */
  last: number;
  /** Whether it is known that its kept plan is as good as another. */
  isSettled: boolean;
}

/** What a connection has prepared. Names are never used again. */
export interface Prepared {
  readonly statements: Map<string, PreparedStatement>;
  count: number;
  runs: number;
}

/** A text as a connection has it, which prepares it under a new name where it has not yet. */
export function preparedStatement(known: Prepared, text: string, types: object): PreparedStatement {
  let statement = known.statements.get(text);
  if (statement === undefined) {
    const facts = { text, rowMode: "array", types, name: `gemach_${own}_${++known.count}` } as const;
    statement = { facts, runs: 0, last: 0, isSettled: false };
    known.statements.set(text, statement);
  }
  statement.last = ++known.runs;
  return statement;
}

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
