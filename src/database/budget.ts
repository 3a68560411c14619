import { GemachError } from "../errors/index.js";

/**
 * The most that work may spend: statements; or an object of statements, rows that come back, and milliseconds that the
 * database takes.
 */
export type Budget = number | { readonly statements?: number; readonly rows?: number; readonly milliseconds?: number };

/** Thrown by work that would spend more than its budget allows. */
export class BudgetError extends GemachError<"BUDGET_EXCEEDED"> {
  static override readonly only = "BUDGET_EXCEEDED";

  constructor(names: GemachError<"BUDGET_EXCEEDED">["names"]) {
    super("BUDGET_EXCEEDED", names);
    this.name = "BudgetError";
  }
}
