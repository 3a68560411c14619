// What lays statements out: it brings a large package, which the other commands do not wait for.
export { explain } from "./explain.js";
export { sqlOf } from "./sql.js";
