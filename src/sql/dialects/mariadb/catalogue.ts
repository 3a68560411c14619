import { quotedText } from "./text.js";

/** Every index of the database, with its columns. */
export const mariadbIndexes = `select table_name, index_name, column_name, seq_in_index, 1 - non_unique, 0
from information_schema.statistics where table_schema = database() order by table_name, index_name, seq_in_index`;

/** Indexes that nothing was looked up by, where the server keeps statistics of their use. */
export const mariadbUnused = `select s.table_name, s.index_name
from information_schema.statistics as s left join information_schema.index_statistics as u
on u.table_schema = s.table_schema and u.table_name = s.table_name and u.index_name = s.index_name
where @@userstat = 1 and s.table_schema = database() and s.non_unique = 1 and s.seq_in_index = 1 and u.index_name is null
order by s.table_name, s.index_name`;

/** The columns of an index of a table of the database at hand. */
export const mariadbUniqueColumns = (table: string, index: string): string =>
  `select column_name from information_schema.statistics where table_schema = database() and table_name = ${quotedText(table)} and index_name = ${quotedText(index)} order by seq_in_index`;
