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
}

/** What a connection has prepared. Names are never used again. */
interface Prepared {
  readonly statements: Map<string, PreparedStatement>;
  count: number;
  runs: number;
}

const preparedOn = new WeakMap<Connection, Prepared>();

/** A text as a connection has it, which prepares it under a new name where it has not yet. */
export function preparedStatement(client: Connection, text: string, types: object): PreparedStatement {
  let known = preparedOn.get(client);
  if (known === undefined) {
    known = { statements: new Map(), count: 0, runs: 0 };
    preparedOn.set(client, known);
  }
  let statement = known.statements.get(text);
  if (statement === undefined) {
    const facts = { text, rowMode: "array", types, name: `gemach_${own}_${++known.count}` } as const;
    statement = { facts, runs: 0, last: 0 };
    known.statements.set(text, statement);
  }
  statement.last = ++known.runs;
  return statement;
}

/** Has a text prepared anew the next time. */
export const forget = (client: Connection, text: string): void => void preparedOn.get(client)?.statements.delete(text);

export const hasTooMany = (client: Connection): boolean =>
  (preparedOn.get(client)?.statements.size ?? 0) > mostPrepared;

/** Has the server forget the texts that a connection used least. */
export async function closeLeastUsed(client: Connection): Promise<void> {
  const { statements } = preparedOn.get(client) as Prepared;
  const least = [...statements].toSorted(([, one], [, other]) => one.last - other.last).slice(0, closedAtOnce);
  const { connection } = client as { readonly connection?: { readonly parsedStatements?: Record<string, unknown> } };
  for (const [text, { facts }] of least) {
    statements.delete(text);
    // The package would keep the text of each name for as long as the connection lives.
    delete connection?.parsedStatements?.[facts.name];
  }
  await client.query(least.map(([, { facts }]) => `deallocate ${facts.name}`).join("; "));
}

/** So many runs of a text the server plans for the values of each; then it may keep one plan for all (15, PREPARE). */
const plannedRuns = 5;

/** From so many milliseconds on, and so many times as slow, a kept plan is worse than planning and parsing each time. */
const [leastTime, leastRatio] = [2, 1.3];

/** So many times as slow, and slower than any before it, a second run with a kept plan is enough to know. */
const plainRatio = 2.5;

/** How many texts are looked at. */
const mostLookedAt = 1000;

const middle = (times: readonly number[]): number => times.toSorted((a, b) => a - b)[times.length >> 1] as number;

/**
 * What prepared texts take while the server plans them for their values, and after that. A server chooses by what it expects plans
 * to cost; where the kept one turns out to be slower, the text is no longer prepared. That is settled once for each text, by ten runs, or by
 * seven where it is plain.
 */
export function planTimes() {
  const known = new Map<string, { readonly before: number[]; readonly after: number[]; isAnew?: boolean }>();
  return {
    isBetterAnew: (text: string): boolean => known.get(text)?.isAnew === true,
    /** `run`: its number on its connection, from 1. */
    note: (text: string, run: number, milliseconds: number): void => {
      let times = known.get(text);
      if (times === undefined) {
        if (known.size >= mostLookedAt) known.clear();
        times = { before: [], after: [] };
        known.set(text, times);
      }
      if (times.isAnew !== undefined) return;
      const { before, after } = times;
      const list = run <= plannedRuns ? before : after;
      // The first run of all reads what is in no cache yet.
      if (list.length < plannedRuns) list.push(milliseconds);
      else if (list === before) before[before.indexOf(Math.max(...before))] = milliseconds;
      if (before.length < plannedRuns) return;
      const fastest = Math.min(...after);
      const isPlain = fastest >= plainRatio * middle(before) && fastest > Math.max(...before);
      if (after.length === 2 && fastest >= leastTime && isPlain) times.isAnew = true;
      if (after.length < plannedRuns) return;
      const kept = middle(after);
      times.isAnew = kept >= leastTime && kept >= leastRatio * middle(before);
    },
  };
}
