import { type Database, from, integer, template } from "../src/index.js";
import { generate, lending, type Society } from "../tools/src/demo/index.js";
import { byKey, type Hand, item, itemOf, loan, loanOf, member, memberOf } from "./hand.js";

const { Item, Loan, Member } = lending;

/** One job, done by the library and by hand; both must give the same answer. */
export interface Job {
  readonly name: string;
  /** The most that our time may be, as a part of the hand's. */
  readonly bound?: number;
  /** Of the larger society. */
  readonly isLarge?: boolean;
  readonly ours: (db: Database) => Promise<unknown>;
  readonly byHand: (hand: Hand) => Promise<unknown>;
}

/** 1,000 items of 40 depots, 400 members; 10 loans an item, or 200. */
export const society = (): Society => generate(40, 7, { items: 25, members: 10, loans: 250 });
export const largeSociety = (): Society => generate(40, 7, { items: 25, members: 10, loans: 5000 });

const withLoans = from(Item).reach({ loans: { borrower: true } });

async function items(hand: Hand) {
  return (await hand.send("items", `select ${item} from item order by item.id`, [])).map((r) => itemOf(r));
}

/** Three statements by key set: each row crosses the wire once. */
async function bySets(hand: Hand): Promise<unknown> {
  const found = await items(hand);
  const text = `select ${loan()} from loan where ${hand.among("loan.item_id")} order by loan.id`;
  const loans = (await hand.send("loans", text, [hand.keys(found.map(({ id }) => id))])).map((r) => loanOf(r));
  const keys = hand.keys([...new Set(loans.map(({ memberId }) => memberId))]);
  const people = await hand.send("people", `select ${member()} from member where ${hand.among("member.id")}`, [keys]);
  const byId = new Map(people.map((r) => [Number(r[0]), memberOf(hand, r)]));
  const lists = byKey(
    loans.map((one) => ({ ...one, borrower: byId.get(one.memberId) })),
    ({ itemId }) => itemId,
  );
  return found.map((one) => ({ ...one, loans: lists.get(one.id) ?? [] }));
}

async function byJoin(hand: Hand): Promise<unknown> {
  const text = `select ${item}, ${loan()}, ${member("borrower")} from item left join loan on loan.item_id = item.id left join member as borrower on borrower.id = loan.member_id order by item.id, loan.id`;
  const found: (ReturnType<typeof itemOf> & { loans: unknown[] })[] = [];
  for (const r of await hand.send("join", text, [])) {
    let last = found.at(-1);
    if (last?.id !== Number(r[0])) {
      last = { ...itemOf(r), loans: [] };
      found.push(last);
    }
    if (r[4] !== null) last.loans.push({ ...loanOf(r, 4), borrower: memberOf(hand, r, 9) });
  }
  return found;
}

/** Booleans of JSON are such on one engine, and numbers on the others. */
const nestedTruth = (hand: Hand): Hand => ({ ...hand, truth: (wire) => wire === 1 || wire === true });

async function byNest(hand: Hand): Promise<unknown> {
  const rows = hand.lists(hand.list(`${loan()}, ${member("borrower")}`), "loan.id");
  const text = `select ${item}, (select ${rows} from loan join member as borrower on borrower.id = loan.member_id where loan.item_id = item.id) from item order by item.id`;
  return (await hand.send("nest", text, [])).map((r) => {
    const [, , , , nested] = r as readonly unknown[];
    const lists = (typeof nested === "string" ? JSON.parse(nested) : (nested ?? [])) as unknown[][];
    const loans = lists.map((l) => ({ ...loanOf(l), borrower: memberOf(nestedTruth(hand), l, 5) }));
    return { ...itemOf(r), loans };
  });
}

async function newest(hand: Hand): Promise<unknown> {
  const found = await items(hand);
  const keys = hand.keys(found.map(({ id }) => id));
  const rows = await hand.send("newest", hand.newest, hand.newestValues(keys));
  const lists = byKey(
    rows.map((r) => loanOf(r)),
    ({ itemId }) => itemId,
  );
  return found.map((one) => ({ ...one, loans: lists.get(one.id) ?? [] }));
}
const oursNewest = from(Item).reach({ loans: (l) => l.orderBy((x) => x.due.desc).limit(3) });

const six = from(Loan).limit(6000);
const three = six.reach({ item: { depot: true }, borrower: true });

async function threeByHand(hand: Hand): Promise<unknown> {
  const depot = "depot.id, depot.district_id, depot.name, depot.town";
  const text = `select ${loan()}, ${item}, ${depot}, ${member("borrower")} from loan join item on item.id = loan.item_id join depot on depot.id = item.depot_id join member as borrower on borrower.id = loan.member_id order by loan.id limit 6000`;
  return (await hand.send("three", text, [])).map((r) => {
    const [district, name, town] = [Number(r[10]), r[11] as unknown as string, r[12] as unknown as string];
    return {
      ...loanOf(r),
      item: { ...itemOf(r, 5), depot: { id: Number(r[9]), districtId: district, name, town } },
      borrower: memberOf(hand, r, 13),
    };
  });
}

/** One statement for each read: what a loop over loans does that asks for each item, depot and member. */
async function threeByLoop(hand: Hand): Promise<unknown> {
  const depot = "depot.id, depot.district_id, depot.name, depot.town";
  const one = (name: string, text: string) => async (id: number) =>
    (await hand.send(name, `${text} = ${hand.place}`, [id]))[0] as readonly never[];
  const itemBy = one("item by id", `select ${item} from item where item.id`);
  const depotBy = one("depot by id", `select ${depot} from depot where depot.id`);
  const memberBy = one("member by id", `select ${member()} from member where member.id`);
  const found = [];
  for (const r of await hand.send("six", `select ${loan()} from loan order by loan.id limit 6000`, [])) {
    const row = loanOf(r);
    const its = itemOf(await itemBy(row.itemId));
    const d = await depotBy(its.depotId);
    const [name, town] = [d[2] as unknown as string, d[3] as unknown as string];
    const place = { id: Number(d[0]), districtId: Number(d[1]), name, town };
    found.push({ ...row, item: { ...its, depot: place }, borrower: memberOf(hand, await memberBy(row.memberId)) });
  }
  return found;
}

const memberById = template({ id: integer }, (p) => from(Member).where((m) => m.id.is(p.id)));

async function oneByHand(hand: Hand): Promise<unknown> {
  const [r] = await hand.send("one", `select ${member()} from member where id = ${hand.place}`, [77]);
  return r === undefined ? null : memberOf(hand, r);
}

export const jobs: readonly Job[] = [
  {
    name: "list of 10,000 rows",
    bound: 1.1,
    ours: (db) => db.list(from(Loan)),
    byHand: async (hand) =>
      (await hand.send("list", `select ${loan()} from loan order by loan.id`, [])).map((r) => loanOf(r)),
  },
  {
    name: "1,000 items, 10 loans each, the borrower: auto",
    bound: 1.15,
    ours: (db) => db.list(withLoans),
    byHand: bySets,
  },
  {
    name: "the same by batch, against key sets",
    bound: 1.5,
    ours: (db) => db.list(withLoans.how("batch")),
    byHand: bySets,
  },
  {
    name: "the same by join, against a join",
    bound: 1.5,
    ours: (db) => db.list(withLoans.how("join")),
    byHand: byJoin,
  },
  {
    name: "the same by nest, against JSON lists",
    bound: 1.5,
    ours: (db) => db.list(withLoans.how("nest")),
    byHand: byNest,
  },
  { name: "6,000 loans, three to-one relations: join", ours: (db) => db.list(three), byHand: threeByHand },
  { name: "the same by batch, against the join", ours: (db) => db.list(three.how("batch")), byHand: threeByHand },
  { name: "the newest 3 of 10 loans of 1,000 items", bound: 1.25, ours: (db) => db.list(oursNewest), byHand: newest },
  {
    name: "the newest 3 of 200 loans of 1,000 items",
    bound: 1.25,
    isLarge: true,
    ours: (db) => db.list(oursNewest),
    byHand: newest,
  },
  { name: "one row by its key", ours: (db) => db.single(from(Member).where((m) => m.id.is(77))), byHand: oneByHand },
  { name: "one row by a template", ours: (db) => db.single(memberById.with({ id: 77 })), byHand: oneByHand },
];

/** A join against one statement for each read. */
export const loops: Job = {
  name: "6,000 loans, three to-one relations",
  ours: (db) => db.list(three),
  byHand: threeByLoop,
};
