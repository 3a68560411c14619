import { generate, lending, type Society } from "../src/demo/index.js";
import { type Database, from } from "../src/index.js";

const { Item, Loan, Member } = lending;

/** Hand-written code sends a text with its values, and gets rows as arrays. */
export type Send = (name: string, text: string, values: readonly unknown[]) => Promise<readonly (readonly never[])[]>;

/** What hand-written code has to know of an engine. */
export interface Hand {
  readonly send: Send;
  /** A condition that a column is one of the keys, and the keys as that condition takes them. */
  readonly among: (column: string) => string;
  readonly keys: (keys: readonly unknown[]) => unknown;
  readonly whole: (wire: never) => number;
  readonly truth: (wire: never) => boolean;
}

/** One job, done by the library and by hand; both must give the same answer. */
export interface Job {
  readonly name: string;
  readonly ours: (db: Database) => Promise<unknown>;
  readonly byHand: (hand: Hand) => Promise<unknown>;
}

/** 1,000 items of 40 depots, 10,000 loans, 400 members. */
export const society = (): Society => generate(40, 7, { items: 25, members: 10, loans: 250 });

const loanColumns = (table: string): string =>
  ["id", "item_id", "member_id", "due", "returned"].map((column) => `${table}.${column}`).join(", ");

const loanOf = ({ whole }: Hand, r: readonly never[], at = 0) => ({
  id: whole(r[at] as never),
  itemId: whole(r[at + 1] as never),
  memberId: whole(r[at + 2] as never),
  due: r[at + 3] as unknown as string,
  returned: r[at + 4] as unknown as string | null,
});

const itemOf = ({ whole }: Hand, r: readonly never[]) => ({
  id: whole(r[0] as never),
  depotId: whole(r[1] as never),
  name: r[2] as unknown as string,
  note: r[3] as unknown as string | null,
  loans: [] as unknown[],
});

const items = "select item.id, item.depot_id, item.name, item.note";

export const jobs: readonly Job[] = [
  {
    name: "list of 10,000 rows",
    ours: (db) => db.list(from(Loan)),
    byHand: async (hand) => {
      const rows = await hand.send("list", `select ${loanColumns("loan")} from loan order by loan.id`, []);
      return rows.map((r) => loanOf(hand, r));
    },
  },
  {
    name: "1,000 items, 10 loans each, by batch",
    ours: (db) => db.list(from(Item).how("batch").reach({ loans: true })),
    byHand: async (hand) => {
      const found = (await hand.send("items", `${items} from item order by item.id`, [])).map((r) => itemOf(hand, r));
      const byId = new Map(found.map((item) => [item.id, item]));
      const text = `select ${loanColumns("loan")} from loan where ${hand.among("loan.item_id")} order by loan.id`;
      for (const r of await hand.send("loans", text, [hand.keys([...byId.keys()])])) {
        const loan = loanOf(hand, r);
        byId.get(loan.itemId)?.loans.push(loan);
      }
      return found;
    },
  },
  {
    name: "1,000 items, 10 loans each, by join",
    ours: (db) => db.list(from(Item).how("join").reach({ loans: true })),
    byHand: async (hand) => {
      const text = `${items}, ${loanColumns("loan")} from item left join loan on loan.item_id = item.id order by item.id, loan.id`;
      const found: ReturnType<typeof itemOf>[] = [];
      let last: ReturnType<typeof itemOf> | undefined;
      for (const r of await hand.send("join", text, [])) {
        const id = hand.whole(r[0] as never);
        if (last?.id !== id) {
          last = itemOf(hand, r);
          found.push(last);
        }
        if (r[4] !== null) last.loans.push(loanOf(hand, r, 4));
      }
      return found;
    },
  },
  {
    name: "one row by its key",
    ours: (db) => db.single(from(Member).where((m) => m.id.is(77))),
    byHand: async (hand) => {
      const [r] = await hand.send(
        "one",
        `select id, name, blocked, sponsor_id from member where id = ${hand.among("").includes("$") ? "$1" : "?"}`,
        [77],
      );
      if (r === undefined) return null;
      const sponsor = r[3] as unknown;
      return {
        id: hand.whole(r[0] as never),
        name: r[1] as unknown as string,
        blocked: hand.truth(r[2] as never),
        sponsorId: sponsor === null ? null : hand.whole(sponsor as never),
      };
    },
  },
];
