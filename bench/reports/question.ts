import type { Query } from "../../src/index.js";
import type { HandDialect } from "./hand-dialect.js";

/** A question, by the builder and by hand. */
export interface Question {
  readonly name: string;
  readonly query: Query;
  readonly byHand: (sql: HandDialect) => string;
}
