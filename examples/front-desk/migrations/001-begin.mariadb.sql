-- 001-begin, for MariaDB.
-- create table district
-- create table depot
-- create table category
-- create table item
-- create table member
-- create table loan
-- create table repair
-- create table reservation

create table district (
  id int auto_increment primary key,
  name varchar(60) not null,
  constraint district_name_key unique (name)
) engine = InnoDB default character set utf8mb4 collate utf8mb4_nopad_bin;

create table depot (
  id int auto_increment primary key,
  district_id int not null,
  name varchar(60) not null,
  town varchar(60) not null,
  constraint depot_district_id_fkey foreign key (district_id) references district (id)
) engine = InnoDB default character set utf8mb4 collate utf8mb4_nopad_bin;

create index depot_district_id on depot (district_id);

create table category (
  id int auto_increment primary key,
  name varchar(40) not null,
  constraint category_name_key unique (name)
) engine = InnoDB default character set utf8mb4 collate utf8mb4_nopad_bin;

create table item (
  id int auto_increment primary key,
  district_id int not null,
  depot_id int not null,
  category_id int not null,
  name varchar(80) not null,
  note varchar(400),
  removed datetime(3),
  turn int not null,
  constraint item_depot_id_fkey foreign key (depot_id) references depot (id),
  constraint item_category_id_fkey foreign key (category_id) references category (id),
  constraint item_named check (char_length(trim(name)) > 1)
) engine = InnoDB default character set utf8mb4 collate utf8mb4_nopad_bin;

create index item_district_id_name on item (district_id, name);

create index item_depot_id on item (depot_id);

create index item_category_id on item (category_id);

create table `member` (
  id int auto_increment primary key,
  district_id int not null,
  name varchar(80) not null,
  blocked boolean not null default 0
) engine = InnoDB default character set utf8mb4 collate utf8mb4_nopad_bin;

create index member_district_id_name on `member` (district_id, name);

create table loan (
  id int auto_increment primary key,
  district_id int not null,
  item_id int not null,
  member_id int not null,
  lent date not null,
  due date not null,
  returned date,
  item_out int generated always as (case when returned is null then item_id end) stored,
  turn int not null,
  constraint loan_item_out_key unique (item_out),
  constraint loan_item_id_fkey foreign key (item_id) references item (id),
  constraint loan_member_id_fkey foreign key (member_id) references `member` (id),
  constraint loan_forwards check (due >= lent)
) engine = InnoDB default character set utf8mb4 collate utf8mb4_nopad_bin;

create index loan_item_id_lent on loan (item_id, lent desc);

create index loan_district_id_due on loan (district_id, due);

create index loan_member_id on loan (member_id);

create table repair (
  id int auto_increment primary key,
  district_id int not null,
  item_id int not null,
  volunteer_id int,
  begun date not null,
  what varchar(120) not null,
  cost decimal(8, 2) not null default 0.00,
  constraint repair_item_id_fkey foreign key (item_id) references item (id),
  constraint repair_volunteer_id_fkey foreign key (volunteer_id) references `member` (id),
  constraint repair_described check (char_length(trim(what)) > 1),
  constraint repair_paid check (cost >= 0.00)
) engine = InnoDB default character set utf8mb4 collate utf8mb4_nopad_bin;

create index repair_item_id_begun on repair (item_id, begun desc);

create index repair_volunteer_id on repair (volunteer_id);

create table reservation (
  id int auto_increment primary key,
  district_id int not null,
  item_id int not null,
  member_id int not null,
  begins date not null,
  ends date not null,
  constraint reservation_item_id_fkey foreign key (item_id) references item (id),
  constraint reservation_member_id_fkey foreign key (member_id) references `member` (id),
  constraint reservation_forwards check (ends >= begins),
  constraint reservation_brief check (datediff(ends, begins) < 60)
) engine = InnoDB default character set utf8mb4 collate utf8mb4_nopad_bin;

create index reservation_item_id_begins on reservation (item_id, begins);

create index reservation_member_id on reservation (member_id);
