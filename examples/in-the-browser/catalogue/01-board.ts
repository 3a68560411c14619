// A board of depots: their things, what of them is out, and with whom.
import { from } from "gemach";
import { Depot } from "lending";

export default from(Depot)
  .orderBy((d) => d.name.asc)
  .reach({
    items: (i) => i.limit(5).reach({ loans: (l) => l.where((x) => x.returned.is(null)).reach({ borrower: true }) }),
  });
