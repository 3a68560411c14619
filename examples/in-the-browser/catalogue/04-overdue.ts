// What should be back by now, the longest overdue first.
import { date, from, literal } from "gemach";
import { Loan } from "lending";

const today = "2026-10-01";

export default from(Loan)
  .where((l) => l.returned.is(null))
  .where((l) => l.due.below(today))
  .orderBy((l) => l.due.asc)
  .limit(50)
  .select((l) => ({
    item: l.item.name,
    depot: l.item.depot.name,
    borrower: l.borrower.name,
    days: literal(date, today).daysSince(l.due),
  }));
