import { coalesce, type Database, date, from, literal } from "gemach";
import { society } from "../../model/society.js";
import type { View } from "../view.js";

const { Depot, Item, Loan, Member } = society;

/** Loans that should have come back before a day. */
export const overdueBy = (today: string) =>
  from(Loan)
    .where((l) => l.returned.is(null))
    .where((l) => l.due.below(today));

export interface OverdueInput {
  readonly today: string;
  readonly after?: string | undefined;
  readonly before?: string | undefined;
}

const placed = ({ today, after, before }: OverdueInput) =>
  overdueBy(today)
    .orderBy((l) => l.due.asc)
    .given(after, (loans, cursor) => loans.after(cursor))
    .given(before, (loans, cursor) => loans.before(cursor));

/** What stands for what is no longer there. */
const removed = "(removed)";

const perPage = 40;
const daysBetween = (from: string, to: string): number => Math.round((Date.parse(to) - Date.parse(from)) / 86_400_000);

const good = (db: Database, input: OverdueInput) =>
  db.portion(
    placed(input).select((l) => ({
      ...{ id: l.id, turn: l.turn, due: l.due, itemId: l.itemId },
      days: literal(date, input.today).daysSince(l.due),
      item: coalesce(l.item.name, removed),
      depot: coalesce(l.item.depot.name, removed),
      borrower: coalesce(l.borrower.name, removed),
    })),
    perPage,
  );

/** A part of the list, as its page shows it. */
export type OverdueLoans = Awaited<ReturnType<typeof good>>;

export const overdue: View<OverdueInput, OverdueLoans> = {
  name: "overdue",
  budget: 1,
  good,

  async naive(db, input) {
    const { rows, next, previous } = await db.portion(placed(input), perPage);
    const shown: OverdueLoans["rows"][number][] = [];
    for (const { id, turn, due, itemId, memberId } of rows) {
      const item = await db.maybe(from(Item).byKey(itemId));
      const depot = item === null ? null : await db.single(from(Depot).byKey(item.depotId));
      const borrower = await db.single(from(Member).byKey(memberId));
      shown.push({
        ...{ id, turn, due, itemId },
        days: daysBetween(due, input.today),
        item: item?.name ?? removed,
        depot: depot?.name ?? removed,
        borrower: borrower.name,
      });
    }
    return { rows: shown, next, previous };
  },
};
