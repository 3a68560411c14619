-- 001-begin, for SQLite.
-- create table district
-- create table depot
-- create table category
-- create table item
-- create table member
-- create table loan
-- create table repair
-- create table reservation

create table district (
  id integer primary key,
  name text not null,
  constraint district_name_key unique (name),
  constraint district_name_check check (length(name) <= 60)
);

create table depot (
  id integer primary key,
  district_id integer not null,
  name text not null,
  town text not null,
  constraint depot_district_id_fkey foreign key (district_id) references district (id),
  constraint depot_name_check check (length(name) <= 60),
  constraint depot_town_check check (length(town) <= 60)
);

create index depot_district_id on depot (district_id);

create table category (
  id integer primary key,
  name text not null,
  constraint category_name_key unique (name),
  constraint category_name_check check (length(name) <= 40)
);

create table item (
  id integer primary key,
  district_id integer not null,
  depot_id integer not null,
  category_id integer not null,
  name text not null,
  note text,
  removed text,
  turn integer not null,
  constraint item_depot_id_fkey foreign key (depot_id) references depot (id),
  constraint item_category_id_fkey foreign key (category_id) references category (id),
  constraint item_name_check check (length(name) <= 80),
  constraint item_note_check check (length(note) <= 400),
  constraint item_named check (length(trim(name)) > 1)
);

create index item_district_id_name on item (district_id, name);

create index item_depot_id on item (depot_id);

create index item_category_id on item (category_id);

create table "member" (
  id integer primary key,
  district_id integer not null,
  name text not null,
  blocked integer not null default 0,
  constraint member_name_check check (length(name) <= 80)
);

create index member_district_id_name on "member" (district_id, name);

create table loan (
  id integer primary key,
  district_id integer not null,
  item_id integer not null,
  member_id integer not null,
  lent text not null,
  due text not null,
  returned text,
  item_out integer generated always as (case when returned is null then item_id end) stored,
  turn integer not null,
  constraint loan_item_out_key unique (item_out),
  constraint loan_item_id_fkey foreign key (item_id) references item (id),
  constraint loan_member_id_fkey foreign key (member_id) references "member" (id),
  constraint loan_forwards check (due >= lent)
);

create index loan_item_id_lent on loan (item_id, lent desc);

create index loan_district_id_due on loan (district_id, due);

create index loan_member_id on loan (member_id);

create table repair (
  id integer primary key,
  district_id integer not null,
  item_id integer not null,
  volunteer_id integer,
  begun text not null,
  what text not null,
  cost text not null default '0.00',
  constraint repair_item_id_fkey foreign key (item_id) references item (id),
  constraint repair_volunteer_id_fkey foreign key (volunteer_id) references "member" (id),
  constraint repair_what_check check (length(what) <= 120),
  constraint repair_described check (length(trim(what)) > 1),
  constraint repair_paid check (cast(round(cost * 100) as integer) >= cast(replace('0.00', '.', '') as integer))
);

create index repair_item_id_begun on repair (item_id, begun desc);

create index repair_volunteer_id on repair (volunteer_id);

create table reservation (
  id integer primary key,
  district_id integer not null,
  item_id integer not null,
  member_id integer not null,
  begins text not null,
  ends text not null,
  constraint reservation_item_id_fkey foreign key (item_id) references item (id),
  constraint reservation_member_id_fkey foreign key (member_id) references "member" (id),
  constraint reservation_forwards check (ends >= begins),
  constraint reservation_brief check (cast(julianday(ends) - julianday(begins) as integer) < 60)
);

create index reservation_item_id_begins on reservation (item_id, begins);

create index reservation_member_id on reservation (member_id);
