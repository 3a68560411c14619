import { type Database, from, or } from "gemach";
import { society } from "../../model/society.js";
import type { View } from "../view.js";

const { Category, Depot, Item, Loan, Member } = society;

export const itemOrders = ["name", "depot", "newest"] as const;

/** What a list of things is narrowed to; what is left out narrows nothing. */
export interface ItemFilter {
  readonly text?: string | undefined;
  readonly depot?: number | undefined;
  readonly category?: number | undefined;
  readonly state?: "in" | "out" | undefined;
}

/** The things that a filter leaves. */
export const itemsMatching = ({ text, depot, category, state }: ItemFilter) =>
  from(Item)
    .given(text, (items, words) =>
      items.where((i) => or(i.name.ignoringCase().contains(words), i.note.ignoringCase().contains(words))),
    )
    .given(depot, (items, id) => items.where((i) => i.depotId.is(id)))
    .given(category, (items, id) => items.where((i) => i.categoryId.is(id)))
    .given(state, (items, wanted) =>
      items.where((i) => (wanted === "out" ? i.openLoans.exists() : i.openLoans.notExists())),
    );

/** A part of a list: where it goes on from, and in which order. */
export interface ItemsInput extends ItemFilter {
  readonly order: (typeof itemOrders)[number];
  readonly after?: string | undefined;
  readonly before?: string | undefined;
}

function placed({ order, after, before, ...filter }: ItemsInput) {
  const matching = itemsMatching(filter);
  const ordered = {
    name: () => matching.orderBy((i) => i.name.asc),
    depot: () => matching.orderBy((i) => [i.depot.name.asc, i.name.asc]),
    newest: () => matching.orderBy((i) => i.id.desc),
  }[order]();
  return ordered
    .given(after, (items, cursor) => items.after(cursor))
    .given(before, (items, cursor) => items.before(cursor));
}

const perPage = 20;

async function good(db: Database, input: ItemsInput) {
  const listed = placed(input).reach({
    depot: (d) => d.columns("name"),
    category: (c) => c.columns("name"),
    openLoans: (l) => l.columns("due").reach({ borrower: (m) => m.columns("name") }),
  });
  const { rows, next, previous } = await db.portion(listed, perPage);
  const shown = rows.map(({ id, name, note, depot, category, openLoans: [loan] }) => ({
    ...{ id, name, note, depot: depot.name, category: category.name },
    out: loan === undefined ? null : { due: loan.due, borrower: loan.borrower.name },
  }));
  return { rows: shown, next, previous };
}

/** A part of the list, as its page shows it. */
export type ListedItems = Awaited<ReturnType<typeof good>>;
type ListedItem = ListedItems["rows"][number];

export const items: View<ItemsInput, ListedItems> = {
  name: "things",
  budget: 2,
  good,

  async naive(db, input) {
    const { rows, next, previous } = await db.portion(placed(input), perPage);
    const shown: ListedItem[] = [];
    for (const { id, name, note, depotId, categoryId } of rows) {
      const depot = await db.single(from(Depot).byKey(depotId));
      const category = await db.single(from(Category).byKey(categoryId));
      shown.push({ id, name, note, depot: depot.name, category: category.name, out: await outOf(db, id) });
    }
    return { rows: shown, next, previous };
  },
};

async function outOf(db: Database, itemId: number): Promise<ListedItem["out"]> {
  const loans = await db.list(
    from(Loan)
      .where((l) => l.itemId.is(itemId))
      .reach({ borrower: true }),
  );
  const open = loans.find((loan) => loan.returned === null);
  return open === undefined ? null : { due: open.due, borrower: open.borrower.name };
}

/** What filters offer. */
export const choices = async (db: Database) => {
  const [depots, categories] = await Promise.all([
    db.list(
      from(Depot)
        .orderBy((d) => d.name.asc)
        .select((d) => ({ id: d.id, name: d.name })),
    ),
    db.list(
      from(Category)
        .orderBy((c) => c.name.asc)
        .select((c) => ({ id: c.id, name: c.name })),
    ),
  ]);
  return { depots, categories };
};

/** Members whose name has a text in it, those who may borrow first. */
export const membersNamed = (text: string | undefined) =>
  from(Member)
    .given(text, (members, words) => members.where((m) => m.name.ignoringCase().contains(words)))
    .orderBy((m) => [m.blocked.asc, m.name.asc])
    .limit(8);
