-- The same, as MariaDB's own habits would have them.
create table repair (
  code char(6) primary key,
  state enum('waiting', 'on bench', 'done') not null default 'waiting',
  price int unsigned not null,
  owner varchar(20) character set latin1 collate latin1_swedish_ci not null,
  came datetime(2) not null default '2026-05-01 08:30:00',
  due timestamp(6) null,
  built year,
  urgent bit(1) not null default b'0',
  tags set('loud', 'sharp', 'heavy') not null default '',
  at point not null default st_geomfromtext('POINT(1 2)'),
  serial bigint unsigned not null default 18446744073709551615,
  double_price bigint as (price * 2) stored
) engine = InnoDB default character set latin1;
insert into repair (code, price, owner, came, due, built, urgent, tags, state) values
  ('AB', 100, 'Ada', '2026-05-01 23:30:00.25', '2026-05-01 08:30:00.123456', 1999, b'1', 'loud,heavy', 'on bench'),
  ('CD1', 4000000000, 'ADA', '2026-11-29 02:30:00', null, null, b'0', '', 'waiting');
create table step (repair_code varchar(6), number tinyint, done tinyint(1), primary key (repair_code, number)) default character set latin1;
insert into step values ('AB', 1, 1), ('AB', 2, 0), ('CD1', 1, null);
