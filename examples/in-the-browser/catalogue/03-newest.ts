// The three newest loans of each thing, and who borrowed it.
import { from } from "gemach";
import { Item } from "lending";

export default from(Item)
  .where((i) => i.name.contains("Drill"))
  .limit(20)
  .reach({
    depot: true,
    loans: (l) =>
      l
        .orderBy((x) => x.lent.desc)
        .limit(3)
        .reach({ borrower: true }),
  });
