-- The same, as SQLite's own habits would have them.
create table repair (
  code text primary key collate nocase,
  state text not null default 'waiting',
  price integer not null,
  owner varchar(20) collate nocase not null,
  came datetime not null default '2026-05-01 08:30:00',
  due integer,
  due_ms integer,
  double_price integer as (price * 2) stored
) without rowid;
insert into repair (code, price, owner, came, due, due_ms, state) values
  ('AB', 100, 'Ada', '2026-05-01 23:30:00.25', 1777624200, 1777624200123, 'on bench'),
  ('CD1', 250, 'ADA', '2026-11-29 02:30:00', null, null, 'waiting');
create table step (repair_code text, number integer, done integer, primary key (repair_code, number));
insert into step values ('AB', 1, 1), ('AB', 2, 0), ('CD1', 1, null);
create table visit (who text, at text default current_timestamp);
insert into visit values ('Ada', '2026-05-01 08:30:00'), ('Ada', '2026-05-01 08:30:00');
