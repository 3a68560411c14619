// Figures of each depot, worked out by the database.
import { from } from "gemach";
import { Depot } from "lending";

export default from(Depot)
  .orderBy((d) => d.name.asc)
  .select((d) => ({
    depot: d.name,
    things: d.items.count(),
    worth: d.items.sum((i) => i.price),
    out: d.loans.where((l) => l.returned.is(null)).count(),
    lastBorrower: d.loans.orderBy((l) => l.lent.desc).first((l) => l.borrower.name),
  }));
