// The things of each depot that are borrowed most.
import { from, rank } from "gemach";
import { Item } from "lending";

const counted = from(Item).select((i) => ({ depot: i.depot.name, item: i.name, loans: i.loans.count() }));
const ranked = from(counted).select((c) => ({
  depot: c.depot,
  item: c.item,
  loans: c.loans,
  place: rank({ by: c.depot, order: c.loans.desc }),
}));

export default from(ranked)
  .where((r) => r.place.atMost(3))
  .orderBy((r) => [r.depot.asc, r.place.asc]);
