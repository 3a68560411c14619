/** Every index with its columns, of SQLite's catalogue; the primary key of a table's own row number has none. */
export const sqliteIndexes = `select m.name as "table", i.name as "index", c.name as "column", c.seqno as "position", i."unique" as is_unique, i.partial as is_partial
from sqlite_schema as m join pragma_index_list(m.name) as i join pragma_index_info(i.name) as c
where m.type = 'table' and c.name is not null order by m.name, i.name, c.seqno`;
