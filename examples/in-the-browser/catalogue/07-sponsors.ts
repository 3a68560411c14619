// Who brought whom: the tree below the first member.
import { from } from "gemach";
import { Member } from "lending";

export default from(Member)
  .byKey(1)
  .descend("sponsored")
  .orderBy((_, place) => place.path.asc)
  .select((m, place) => ({ name: m.name, depth: place.depth, path: place.path }));
