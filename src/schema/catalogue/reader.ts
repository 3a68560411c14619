import type { WireRows } from "../../run/index.js";
import type { Dialect, TableLayout } from "../../sql/index.js";

/**
 * Reads the tables of schemas out of an engine's catalogue, in a number of statements that does not grow with that of
 * the tables. A schema that is undefined is the one that a connection sees without naming it.
 */
export type CatalogueReader = (
  ask: (text: string) => Promise<WireRows>,
  dialect: Dialect,
  schemas: readonly (string | undefined)[],
) => Promise<readonly TableLayout[]>;
