// Loans by month, and all until then.
import { from, sumOver } from "gemach";
import { Loan } from "lending";

const byMonth = from(Loan)
  .groupBy((l) => l.lent.startOfMonth())
  .select((g) => ({ month: g.key, loans: g.count() }));

export default from(byMonth)
  .orderBy((m) => m.month.asc)
  .select((m) => ({ month: m.month, loans: m.loans, soFar: sumOver(m.loans, { order: m.month.asc }) }));
