// Kits with what is in them: a link with a column of its own.
import { from } from "gemach";
import { Kit } from "lending";

export default from(Kit).reach({ parts: { item: { depot: true } } });
