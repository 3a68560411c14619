-- A tool shop's tables, as PostgreSQL's own habits would have them.
create schema shop;
create type shop."repair state" as enum ('waiting', 'on bench', 'done');
create domain shop.cents as integer check (value >= 0);
create table shop.repair (
  code char(6) primary key,
  state shop."repair state" not null default 'waiting',
  price shop.cents not null,
  owner text not null,
  came timestamp not null default '2026-05-01 08:30:00',
  due timestamptz,
  took interval,
  host inet,
  note json not null default '{"b": 1, "a": 2}',
  marks integer[] not null default '[0:1]={1,2}',
  grid text[][] not null default '{{a,NULL},{"b,c",d}}',
  at point not null default '(1,2)',
  double_price bigint generated always as (price * 2) stored
);
insert into shop.repair (code, price, owner, came, due, took, host, state) values
  ('AB', 100, 'Ada', '2026-05-01 23:30:00.25', '2026-05-01 08:30:00.123456+00', '1 day 02:00', '10.0.0.1', 'on bench'),
  ('CD1', 250, 'ADA', '2026-11-29 02:30:00', null, null, null, 'waiting');
create table shop.step (repair_code char(6), number smallint, done boolean, primary key (repair_code, number));
insert into shop.step values ('AB', 1, true), ('AB', 2, false), ('CD1', 1, null);
