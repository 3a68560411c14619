import { standardConflict } from "../../print/parts.js";
import type { Dialect } from "../dialect.js";
import { sqliteIndexes } from "./catalogue.js";
import { sqliteDefinition } from "./definition.js";
import { emptySqliteRow } from "./empty-row.js";
import { sqliteExplain } from "./explain.js";
import { sqliteFault } from "./faults.js";
import { packed } from "./pack.js";
import { sqliteRewrites } from "./rewrites.js";
import { sqliteText } from "./text.js";
import { sqliteWire } from "./wire.js";

/** The SQL of SQLite, 3.44 or later. */
export const sqliteDialect: Dialect = {
  name: "sqlite",
  engine: "SQLite",
  text: sqliteText,
  rewrites: sqliteRewrites,
  wire: sqliteWire,
  writes: {
    emptyRow: emptySqliteRow,
    insertArrays: undefined,
    rowsOfArrays: undefined,
    // Measured (3.53): 0.65 of the time of one row a statement, and no less with more rows.
    portions: { rows: [64, 16, 4, 1], mostParameters: 32_766, mostBytes: 500_000_000, takesDefault: () => false },
    onConflict: standardConflict,
    // Its columns hold whatever they are given, but for strict tables.
    asStored: ({ kind, precision, scale, length }) => {
      switch (kind) {
        case "numeric":
          return ["gemach_fit_decimal(", `, ${precision}, ${scale})`];
        case "integer":
        case "identity":
          return ["gemach_fit_whole(", ", 32)"];
        case "bigint":
          return ["gemach_fit_whole(", ", 64)"];
        case "varchar":
          return ["gemach_fit_text(", `, ${length})`];
        default:
          return undefined;
      }
    },
    isJoined: false,
    proposed: (column) => `excluded.${column}`,
    proposedRow: "excluded",
  },
  definition: sqliteDefinition,
  // Measured (3.53): with 10 rows an owner 1.3 times, with 200 4 to 36 times as fast as numbering all rows.
  isolationText: undefined,
  groupsSets: false,
  wholeTrees: false,
  // Measured (3.53): 1.1 to 1.5 times as fast as one more statement, with 1 to 1,000 rows a list; over a table of links
  // 0.1 to 0.8 times.
  nests: { lists: 100, firstRows: 0, linked: 0, inside: 1 },
  ownerForm: () => "correlated",
  pack: packed,
  explain: sqliteExplain,
  catalogue: { indexes: sqliteIndexes },
  fault: sqliteFault,
};
