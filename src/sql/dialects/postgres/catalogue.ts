/** Every index of the schemas that names are looked for in, with its columns. */
export const postgresIndexes = `select t.relname as "table", x.relname as "index", a.attname as "column", k.at as "position", i.indisunique::integer as is_unique, (i.indpred is not null)::integer as is_partial
from pg_index as i join pg_class as t on t.oid = i.indrelid join pg_class as x on x.oid = i.indexrelid
cross join lateral unnest(i.indkey::smallint[]) with ordinality as k (number, at)
join pg_attribute as a on a.attrelid = t.oid and a.attnum = k.number
where pg_table_is_visible(t.oid) and t.relnamespace not in ('pg_catalog'::regnamespace, 'information_schema'::regnamespace) and k.at <= i.indnkeyatts
order by t.relname, x.relname, k.at`;

/** Indexes that nothing has been looked up by since the statistics began. */
export const postgresUnused = `select s.relname as "table", s.indexrelname as "index"
from pg_stat_user_indexes as s join pg_index as i on i.indexrelid = s.indexrelid
where s.idx_scan = 0 and not i.indisunique order by s.relname, s.indexrelname`;

/** The statements that took most of the server's time, where its extension keeps them. */
export const postgresStatements = `select query as statement, calls, total_exec_time as milliseconds, rows as "rows"
from pg_stat_statements where dbid = (select oid from pg_database where datname = current_database()) order by total_exec_time desc limit 500`;
