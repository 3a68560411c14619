/** Hand-written code sends a text with its values, and gets rows as arrays. */
export type Send = (name: string, text: string, values: readonly unknown[]) => Promise<readonly (readonly never[])[]>;

/** What hand-written code has to know of an engine. */
export interface Hand {
  readonly send: Send;
  /** The first placeholder of a text. */
  readonly place: string;
  /** A condition that a column is one of the keys, and the keys as that condition takes them. */
  readonly among: (column: string) => string;
  readonly keys: (keys: readonly unknown[]) => unknown;
  readonly truth: (wire: never) => boolean;
  /** What an insert of loans says of those that are there: they get what it brings. */
  readonly overwriting: string;
  /** Values as one JSON list, and lists of many rows as one. */
  readonly list: (items: string) => string;
  readonly lists: (list: string, order: string) => string;
  /** The newest three loans of each item whose key is given: the best form that was found for the engine. */
  readonly newest: string;
  readonly newestValues: (keys: unknown) => readonly unknown[];
  /** Work on one connection, in one transaction, which is rolled back unless it is to be kept. */
  readonly transaction: (work: (send: Send) => Promise<void>, isKept: boolean) => Promise<void>;
  /**
   * Inserts loans by the best form that was found for the engine; `end`: what stands after the rows; `name`: of that
   * form. Gives what it returns.
   */
  readonly insert: (
    send: Send,
    rows: readonly (readonly unknown[])[],
    form?: { readonly columns?: readonly string[]; readonly end?: string; readonly name?: string },
  ) => Promise<readonly (readonly unknown[])[]>;
}

const loanColumns = ["id", "item_id", "member_id", "due", "returned"];
export const loan = (table = "loan"): string => loanColumns.map((column) => `${table}.${column}`).join(", ");
export const item = "item.id, item.depot_id, item.name, item.note";
export const member = (table = "member"): string =>
  ["id", "name", "blocked", "sponsor_id"].map((column) => `${table}.${column}`).join(", ");

type Row = readonly unknown[];

export const loanOf = (r: Row, at = 0) => ({
  id: Number(r[at]),
  itemId: Number(r[at + 1]),
  memberId: Number(r[at + 2]),
  due: r[at + 3] as string,
  returned: r[at + 4] as string | null,
});

export const itemOf = (r: Row, at = 0) => ({
  id: Number(r[at]),
  depotId: Number(r[at + 1]),
  name: r[at + 2] as string,
  note: r[at + 3] as string | null,
});

export const memberOf = ({ truth }: Hand, r: Row, at = 0) => ({
  id: Number(r[at]),
  name: r[at + 1] as string,
  blocked: truth(r[at + 2] as never),
  sponsorId: r[at + 3] === null ? null : Number(r[at + 3]),
});

/** Rows in lists by a key. */
export function byKey<T>(rows: readonly T[], key: (row: T) => number): ReadonlyMap<number, T[]> {
  const lists = new Map<number, T[]>();
  for (const row of rows) {
    const known = lists.get(key(row));
    if (known === undefined) lists.set(key(row), [row]);
    else known.push(row);
  }
  return lists;
}
