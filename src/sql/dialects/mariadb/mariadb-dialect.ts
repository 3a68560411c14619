import { kinds } from "../../../columns/index.js";
import type { Dialect } from "../dialect.js";
import { mariadbIndexes, mariadbUniqueColumns, mariadbUnused } from "./catalogue.js";
import { mariadbDefinition } from "./definition.js";
import { mariadbExplain } from "./explain.js";
import { mariadbFault } from "./faults.js";
import { mariadbRewrites } from "./rewrites.js";
import { mariadbText } from "./text.js";
import { mariadbWire } from "./wire.js";

/** The SQL of MariaDB, 10.6 or later. */
export const mariadbDialect: Dialect = {
  name: "mariadb",
  engine: "MariaDB",
  text: mariadbText,
  rewrites: mariadbRewrites,
  wire: mariadbWire,
  writes: {
    emptyRow: () => "() values ()",
    insertArrays: undefined,
    rowsOfArrays: undefined,
    portions: {
      rows: [1024, 256, 64, 16, 4, 1],
      mostParameters: 65_535,
      // A packet of a server may be as small as a megabyte.
      mostBytes: 500_000,
      // Where 0 is a value like any other (NO_AUTO_VALUE_ON_ZERO), "default" of the column that counts is 0; there is
      // one at most in a table.
      takesDefault: ({ kind }, hasIdentity) => (hasIdentity ? kind !== "identity" : !kinds[kind].isNumber),
    },
    onConflict: (by, set) => `on duplicate key update ${set === "" ? `${by[0]} = ${by[0]}` : set}`,
    isJoined: true,
    ownRowBlocks: true,
    proposed: (column) => `values(${column})`,
  },
  definition: mariadbDefinition,
  // Measured (10.11, which has no lateral): as fast with 10 rows an owner, 19 times with 200. Each row more is a
  // subquery more, and the rows' own key has to be one column.
  isolationText: "select @@session.tx_isolation",
  groupsSets: false,
  wholeTrees: true,
  // Measured (10.11): ten rows' lists of one 1.4 times as fast as by batch, of a hundred 0.8 times; the first rows of
  // each 2 times with one or ten rows a list, half as fast with a hundred.
  nests: { lists: 10, firstRows: 0, linked: 10, inside: 10 },
  farNests: { lists: 300, firstRows: 50, linked: 1000, inside: 1000 },
  ownerForm: (index, keyLength, { limit }) =>
    index !== "owner" && keyLength === 1 && limit !== undefined && limit >= 1 && limit <= 10 ? "seeks" : undefined,
  pack: () => undefined,
  explain: mariadbExplain,
  // Its performance schema counts no execution of a prepared statement (10.11).
  catalogue: { indexes: mariadbIndexes, unusedIndexes: mariadbUnused, uniqueColumns: mariadbUniqueColumns },
  fault: mariadbFault,
};
