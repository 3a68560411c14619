// Things that nobody has ever borrowed.
import { from } from "gemach";
import { Item } from "lending";

export default from(Item)
  .where((i) => i.loans.notExists())
  .reach({ depot: true });
