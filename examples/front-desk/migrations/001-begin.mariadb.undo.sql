-- Undoes 001-begin, for MariaDB.

drop table reservation;

drop table repair;

drop table loan;

drop table `member`;

drop table item;

drop table category;

drop table depot;

drop table district;
