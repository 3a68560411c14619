import { coalesce, type Database, from, type PlainRowOf, rowNumber, sumOver } from "gemach";
import { society } from "../../model/society.js";
import type { View } from "../view.js";
import { overdueBy } from "./overdue.js";

const { Category, Depot, Item, Loan, Member, Repair } = society;

const depotFigures = from(Depot)
  .orderBy((d) => d.name.asc)
  .select((d) => ({
    name: d.name,
    items: d.items.count(),
    out: d.items.loans.where((l) => l.returned.is(null)).count(),
    spent: coalesce(
      d.items.repairs.sum((r) => r.cost),
      "0.00",
    ),
  }));

const byMonth = from(Loan)
  .groupBy((l) => l.lent.startOfMonth())
  .select((g) => ({ month: g.key, loans: g.count() }));

const months = from(byMonth)
  .orderBy((m) => m.month.asc)
  .select((m) => ({ month: m.month, loans: m.loans, total: sumOver(m.loans, { order: m.month.asc }) }));

const categories = from(Category)
  .orderBy((c) => c.name.asc)
  .select((c) => ({
    name: c.name,
    loans: c.items.loans.count(),
    open: c.items.loans.where((l) => l.returned.is(null)).count(),
  }));

const numbered = from(Loan).select((l) => ({
  depot: coalesce(l.item.depot.name, ""),
  item: coalesce(l.item.name, ""),
  borrower: coalesce(l.borrower.name, ""),
  lent: l.lent,
  position: rowNumber({ by: l.item.depotId, order: [l.lent.desc, l.id.desc] }),
}));

const newest = from(numbered)
  .where((n) => n.position.is(1))
  .where((n) => n.depot.isNot(""))
  .orderBy((n) => n.depot.asc)
  .select((n) => ({ depot: n.depot, item: n.item, borrower: n.borrower, lent: n.lent }));

interface DashboardInput {
  readonly today: string;
}

async function good(db: Database, { today }: DashboardInput) {
  const [figures, monthly, kinds, latest, late] = await Promise.all([
    db.list(depotFigures),
    db.list(months),
    db.list(categories),
    db.list(newest),
    db.count(overdueBy(today)),
  ]);
  return { depots: figures, months: monthly, categories: kinds, newest: latest, overdue: late };
}

/** The society in figures, as its page shows it. */
export type Dashboard = Awaited<ReturnType<typeof good>>;

export const dashboard: View<DashboardInput, Dashboard> = {
  name: "dashboard",
  budget: 5,
  good,

  async naive(db, { today }) {
    const loans = await db.list(from(Loan).orderBy((l) => [l.lent.asc, l.id.asc]));
    const items = await db.list(from(Item));
    return {
      depots: await figuresOf(db, loans),
      months: monthsOf(loans),
      categories: await categoriesOf(db, items, loans),
      newest: await newestOf(db, items, loans),
      overdue: loans.filter(({ due, returned }) => returned === null && due < today).length,
    };
  },
};

type Row<Q extends typeof Loan | typeof Item> = PlainRowOf<Q>;

async function figuresOf(db: Database, loans: readonly Row<typeof Loan>[]): Promise<Dashboard["depots"]> {
  const figures: Dashboard["depots"][number][] = [];
  for (const { id, name } of await db.list(from(Depot).orderBy((d) => d.name.asc))) {
    const own = await db.list(from(Item).where((i) => i.depotId.is(id)));
    let cents = 0;
    for (const item of own)
      for (const { cost } of await db.list(from(Repair).where((r) => r.itemId.is(item.id))))
        cents += Math.round(Number(cost) * 100);
    const out = loans.filter((loan) => loan.returned === null && own.some((item) => item.id === loan.itemId)).length;
    figures.push({ name, items: own.length, out, spent: (cents / 100).toFixed(2) });
  }
  return figures;
}

function monthsOf(loans: readonly Row<typeof Loan>[]): Dashboard["months"] {
  const counted = new Map<string, number>();
  for (const { lent } of loans) {
    const month = `${lent.slice(0, 7)}-01`;
    counted.set(month, (counted.get(month) ?? 0) + 1);
  }
  let total = 0;
  return [...counted].map(([month, count]) => {
    total += count;
    return { month, loans: count, total };
  });
}

async function categoriesOf(
  db: Database,
  items: readonly Row<typeof Item>[],
  loans: readonly Row<typeof Loan>[],
): Promise<Dashboard["categories"]> {
  const found = await db.list(from(Category).orderBy((c) => c.name.asc));
  return found.map(({ id, name }) => {
    const own = new Set(items.filter((item) => item.categoryId === id).map((item) => item.id));
    const lent = loans.filter((loan) => own.has(loan.itemId));
    return { name, loans: lent.length, open: lent.filter((loan) => loan.returned === null).length };
  });
}

async function newestOf(
  db: Database,
  items: readonly Row<typeof Item>[],
  loans: readonly Row<typeof Loan>[],
): Promise<Dashboard["newest"]> {
  const latest: Dashboard["newest"][number][] = [];
  for (const depot of await db.list(from(Depot).orderBy((d) => d.name.asc))) {
    const own = new Map(items.filter((item) => item.depotId === depot.id).map((item) => [item.id, item.name]));
    const loan = loans.filter((one) => own.has(one.itemId)).at(-1);
    if (loan === undefined) continue;
    const borrower = await db.single(from(Member).byKey(loan.memberId));
    latest.push({ depot: depot.name, item: own.get(loan.itemId) ?? "", borrower: borrower.name, lent: loan.lent });
  }
  return latest;
}
