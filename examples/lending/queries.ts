import { date, from, template, text } from "gemach";
import { lending } from "./model.js";

const { Depot, Item, Loan, Member } = lending;

/** The board of a depot: its items, and what of them is out. */
export const board = from(Depot)
  .orderBy((d) => d.name.asc)
  .reach({ items: { loans: (l) => l.where((x) => x.returned.is(null)).reach({ borrower: true }) } });

/** What should have come back by a day, the longest overdue first. */
export const overdue = template({ today: date }, ({ today }) =>
  from(Loan)
    .where((l) => l.returned.is(null))
    .where((l) => l.due.below(today))
    .orderBy((l) => l.due.asc)
    .limit(20)
    .reach({ item: { depot: true }, borrower: true }),
);

/** Depots with the number of their items, and of those that are out. */
export const figures = from(Depot).select((d) => ({
  name: d.name,
  items: d.items.count(),
  out: d.items.loans.where((l) => l.returned.is(null)).count(),
}));

/** Items whose name has some words in it. */
export const search = template({ words: text }, ({ words }) =>
  from(Item)
    .where((i) => i.name.contains(words))
    .limit(20),
);

/** The newest loans of a member. */
export const loansOf = (memberId: number) =>
  from(Loan)
    .where((l) => l.memberId.is(memberId))
    .orderBy((l) => l.due.desc)
    .limit(10)
    .reach({ item: true });

/** Members by name. */
export const members = from(Member)
  .orderBy((m) => m.name.asc)
  .limit(50);
