import type { Query } from "../../ir/index.js";
import type { StatementOrigin } from "../../sql/index.js";
import type { CallSite } from "./call-site.js";

/** The call of a verb. */
export interface VerbOrigin {
  /** "list", "count", "insert" and so on. */
  readonly verb: string;
  /** The query that it runs, where there is one. */
  readonly query: Query | undefined;
  /** The line of code that called it, where the platform tells. */
  readonly at: CallSite | undefined;
  /** A number that the statements of one call have in common, as long as somebody watches. */
  readonly call?: number | undefined;
  /** A number that all of one transaction have in common, as long as somebody watches. */
  readonly transaction?: number | undefined;
}

/** The purpose of a statement, and the call that it is part of. */
export interface Origin extends StatementOrigin, VerbOrigin {}

/** The origin of a statement of the library's own, such as one that begins a transaction. */
export const controlOrigin = (purpose: string): StatementOrigin => ({
  purpose,
  operation: "other",
  entity: undefined,
  relation: undefined,
  strategy: undefined,
});

/** The verb of statements that only look at others, and belong to no ledger. */
export const planVerb = "plan of a ledger";
