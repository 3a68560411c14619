import type { Dialect } from "../dialect.js";
import { postgresDialect } from "./postgres-dialect.js";
import { postgresText } from "./text.js";
import { pgliteWire } from "./wire.js";
import { postgresWrites } from "./writes.js";

// Its C library, unlike others, has a capital of the German sharp s.
const inProcessText = postgresText("pg_c_utf8");

/** Measured (0.5): 1.1 to 3 times as fast as by batch, but over a table of links with one row a list. */
const pgliteNests = { lists: 1000, firstRows: 1000, linked: 50, inside: 1000 };

/** The SQL of PostgreSQL in the process. */
export const pgliteDialect: Dialect = {
  ...postgresDialect,
  nests: pgliteNests,
  farNests: pgliteNests,
  text: inProcessText,
  wire: pgliteWire,
  writes: postgresWrites(inProcessText),
};
