-- # many rows
-- rows of Repair: ["20.00"]
select
  json_group_array(
    json_array(
      found.id, found.item_id, found.volunteer_id, found.begun, found.cost, found.findings
    )
  )
from
  (
    select
      repair.id, repair.item_id, repair.volunteer_id, repair.begun, repair.cost, repair.findings
    from repair
    where cast(round(repair.cost * 100) as integer) > cast(replace(?, '.', '') as integer)
    order by repair.id
  ) as found;

-- # open loans, latest first
-- rows of Loan: [10]
select loan.id, loan.item_id, loan.member_id, loan.due, loan.returned
from loan
where loan.returned is null
order by loan.due desc, loan.id desc
limit +?;

-- # and, or, not
-- rows of Loan: ["2026-03-01",1,2,2,2,2,2,2,2]
select loan.id, loan.item_id, loan.member_id, loan.due, loan.returned
from loan
where
  (
    loan.due < ?
    or loan.member_id in (?, ?, ?, ?, ?, ?, ?, ?)
  )
  and loan.returned is null
order by loan.id;

-- # a path used three times joins once
-- rows of Loan: ["Elm Yard"]
select depot.town
from
  loan
  join item on item.id = loan.item_id
  join depot on depot.id = item.depot_id
where depot.name = ?
order by depot.name, loan.id;

-- # unequal keeps what is missing
-- rows of Member: ["Ada Levi"]
select "member".id, "member".name, "member".blocked, "member".sponsor_id
from
  "member"
  left join "member" as sponsor on sponsor.id = "member".sponsor_id
where sponsor.name is not ?
order by "member".id;

-- # a path that a condition needs is no left join
-- rows of Member: ["Ada Levi",true]
select sponsor.name
from
  "member"
  join "member" as sponsor on sponsor.id = "member".sponsor_id
  join "member" as sponsor_sponsor on sponsor_sponsor.id = sponsor.sponsor_id
where
  sponsor_sponsor.name = ?
  and sponsor.blocked = ?
order by "member".id;

-- # a tree
-- rows of Category: []
with recursive
  tree (key_1, on_1, depth, path) as (
    select
      category.id as key_1, category.id as on_1, 0 as depth,
      cast('/' || cast(category.id as text) || '/' as text) as path
    from category
    where category.parent_id is null
    union
    select
      category.id as key_1, category.id as on_1, tree.depth + 1 as depth,
      cast(
        tree.path || cast(category.id as text) || '/' as text
      ) as path
    from
      category
      join tree on category.parent_id = tree.on_1
    where
      not (
        instr(
          tree.path, '/' || cast(category.id as text) || '/'
        ) > 0
      )
  )
select category.name, tree.path
from
  category
  join tree on category.id = tree.key_1
order by category.id, tree.path;

-- # parts of documents
-- rows of Repair: ["belt"]
select repair.id, repair.item_id, repair.volunteer_id, repair.begun, repair.cost, repair.findings
from repair
where gemach_json (repair.findings, '["parts",0]', 'string') = ?
order by repair.id;

-- # counts of sets
-- rows of Depot: []
select
  (
    select count(*)
    from item
    where item.depot_id = depot.id
  ),
  (
    select count(*)
    from "member"
    where
      exists (
        select 1
        from
          loan
          join item on loan.item_id = item.id
        where
          "member".id = loan.member_id
          and item.depot_id = depot.id
      )
  )
from depot
order by depot.id;

-- # sets inside sets
-- rows of Member: []
select "member".id, "member".name, "member".blocked, "member".sponsor_id
from "member"
where
  exists (
    select 1
    from "member" as sponsored
    where
      sponsored.sponsor_id = "member".id
      and exists (
        select 1
        from loan
        where
          loan.member_id = sponsored.id
          and loan.returned is null
      )
  )
order by "member".id;

-- # to-one relations, joined
-- rows of Loan: []
select
  loan.id, loan.item_id, loan.member_id, loan.due, loan.returned, item.id, item.depot_id, item.name,
  item.note, depot.id, depot.district_id, depot.name, depot.town, borrower.id, borrower.name,
  borrower.blocked, borrower.sponsor_id, sponsor.id, sponsor.name, sponsor.blocked,
  sponsor.sponsor_id
from
  loan
  left join item on item.id = loan.item_id
  left join depot on depot.id = item.depot_id
  left join "member" as borrower on borrower.id = loan.member_id
  left join "member" as sponsor on sponsor.id = borrower.sponsor_id
order by loan.id;

-- # to-one relations, by batch
-- rows of Loan: []
select loan.id, loan.item_id, loan.member_id, loan.due, loan.returned
from loan
order by loan.id;
-- Loan.item by batch: [{"keysOf":["Loan.itemId"],"statement":1}]
select item.id, item.depot_id, item.name, item.note
from item
where
  item.id in (
    select +value
    from json_each(?)
  );

-- # to-many relations, by batch, narrowed
-- rows of Item: []
select item.id, item.depot_id, item.name, item.note
from item
order by item.id;
-- Item.loans by batch: [{"keysOf":["Item.id"],"statement":1}]
select loan.id, loan.item_id, loan.member_id, loan.due, loan.returned
from loan
where
  loan.item_id in (
    select +value
    from json_each(?)
  )
  and loan.returned is null
order by loan.due, loan.id;
-- Loan.borrower by batch: [{"keysOf":["Loan.memberId"],"statement":2}]
select "member".id, "member".name, "member".blocked, "member".sponsor_id
from "member"
where
  "member".id in (
    select +value
    from json_each(?)
  );

-- # to-many relations, by batch, limited
-- rows of Item: []
select item.id, item.depot_id, item.name, item.note
from item
order by item.id;
-- Item.loans by batch: [{"keysOf":["Item.id"],"statement":1},3]
select loan.id, loan.item_id, loan.member_id, loan.due, loan.returned
from
  (
    select +value as key_1
    from json_each(?)
  ) as owner
  join loan on loan.id in (
    select loan.id
    from loan
    where loan.item_id = owner.key_1
    order by loan.due desc, loan.id desc
    limit +?
  )
order by loan.due desc, loan.id desc;

-- # to-many relations, joined
-- rows of Depot: []
select
  depot.id, depot.district_id, depot.name, depot.town, items.id, items.depot_id, items.name,
  items.note, loans.id, loans.item_id, loans.member_id, loans.due, loans.returned
from
  depot
  left join item as items on items.depot_id = depot.id
  left join loan as loans on loans.item_id = items.id
order by depot.id, items.id, loans.id;

-- # to-many relations, joined, the root limited
-- rows of Depot: [5,10]
select
  depot.id, depot.district_id, depot.name, depot.town, items.id, items.depot_id, items.name,
  items.note, district.id, district.name
from
  (
    select depot.id, depot.district_id, depot.name, depot.town, district.name as order_1
    from
      depot
      left join district on district.id = depot.district_id
    order by district.name, depot.name desc, depot.id desc
    limit +?
    offset +?
  ) as depot
  left join item as items on items.depot_id = depot.id
  left join district on district.id = depot.district_id
order by depot.order_1, depot.name desc, depot.id desc, items.id;

-- # to-many relations, nested
-- rows of Depot: []
select
  depot.id, depot.district_id, depot.name, depot.town,
  (
    select
      json_group_array(
        json_array(
          item.id, item.depot_id, item.name, item.note,
          json(
            (
              select
                json_group_array(
                  json_array(
                    loan.id, loan.item_id, loan.member_id, loan.due, loan.returned, borrower.id,
                    borrower.name, borrower.blocked, borrower.sponsor_id
                  )
                  order by loan.id
                )
              from
                loan
                left join "member" as borrower on borrower.id = loan.member_id
              where
                loan.item_id = item.id
                and loan.returned is null
            )
          )
        )
        order by item.id
      )
    from item
    where item.depot_id = depot.id
  ), district.id, district.name
from
  depot
  left join district on district.id = depot.district_id
order by depot.id;

-- # to-many relations, nested, limited
-- rows of Item: [3]
select
  item.id, item.depot_id, item.name, item.note,
  (
    select
      json_group_array(
        json_array(
          some_rows.id, some_rows.item_id, some_rows.member_id, some_rows.due, some_rows.returned
        )
        order by some_rows.due desc, some_rows.id desc
      )
    from
      (
        select loan.id, loan.item_id, loan.member_id, loan.due, loan.returned
        from loan
        where loan.item_id = item.id
        order by loan.due desc, loan.id desc
        limit +?
      ) as some_rows
  )
from item
order by item.id;

-- # a way down and up again, nested
-- rows of District: []
select
  district.id, district.name,
  (
    select
      json_group_array(
        json_array(
          "member".id, "member".name, "member".blocked, "member".sponsor_id
        )
        order by "member".id
      )
    from "member"
    where
      exists (
        select 1
        from
          loan
          join item on loan.item_id = item.id
          join depot on item.depot_id = depot.id
        where
          "member".id = loan.member_id
          and depot.district_id = district.id
      )
  )
from district
order by district.id;

-- # many kinds, nested
-- rows of Item: []
select
  item.id, item.depot_id, item.name, item.note,
  (
    select
      json_group_array(
        json_array(
          repair.id, repair.item_id, repair.volunteer_id, repair.begun, repair.cost, repair.findings
        )
        order by repair.id
      )
    from repair
    where repair.item_id = item.id
  )
from item
order by item.id;

-- # a list in a projection, nested
-- rows of Item: []
select
  item.name,
  (
    select
      json_group_array(
        json_array(borrower.name)
        order by loan.id
      )
    from
      loan
      left join "member" as borrower on borrower.id = loan.member_id
    where
      loan.item_id = item.id
      and loan.returned is null
  )
from item
order by item.id;

-- # a way up, joined
-- rows of Loan: []
select loan.id, loan.item_id, loan.member_id, loan.due, loan.returned, district.id, district.name
from
  loan
  left join item on item.id = loan.item_id
  left join depot on depot.id = item.depot_id
  left join district on district.id = depot.district_id
order by loan.id;

-- # a way up, by batch
-- rows of Loan: []
select loan.id, loan.item_id, loan.member_id, loan.due, loan.returned
from loan
order by loan.id;
-- Loan.district by batch: [{"keysOf":["Loan.itemId"],"statement":1}]
select district.id, district.name, item.id
from
  district
  join depot on district.id = depot.district_id
  join item on depot.id = item.depot_id
where
  item.id in (
    select +value
    from json_each(?)
  );

-- # a way down, by batch
-- rows of District: []
select district.id, district.name
from district
order by district.id;
-- District.loans by batch: [{"keysOf":["District.id"],"statement":1}]
select loan.id, loan.item_id, loan.member_id, loan.due, loan.returned, depot.district_id
from
  loan
  join item on loan.item_id = item.id
  join depot on item.depot_id = depot.id
where
  depot.district_id in (
    select +value
    from json_each(?)
  )
order by loan.id;

-- # a way down and up again, by batch
-- rows of District: []
select district.id, district.name
from district
order by district.id;
-- District.borrowers by batch: [{"keysOf":["District.id"],"statement":1}]
select "member".id, "member".name, "member".blocked, "member".sponsor_id, link.owner_1
from
  "member"
  join (
    select distinct depot.district_id as owner_1, loan.member_id as target_1
    from
      loan
      join item on loan.item_id = item.id
      join depot on item.depot_id = depot.id
    where
      depot.district_id in (
        select +value
        from json_each(?)
      )
  ) as link on link.target_1 = "member".id
order by "member".id;

-- # a way down and up again, by batch, limited
-- rows of District: []
select district.id, district.name
from district
order by district.id;
-- District.borrowers by batch: [{"keysOf":["District.id"],"statement":1},2]
select "member".id, "member".name, "member".blocked, "member".sponsor_id, "member".owner_1
from
  (
    select
      "member".id, "member".name, "member".blocked, "member".sponsor_id, link.owner_1,
      row_number() over (
        partition by link.owner_1
        order by "member".id
      ) as "position"
    from
      "member"
      join (
        select distinct depot.district_id as owner_1, loan.member_id as target_1
        from
          loan
          join item on loan.item_id = item.id
          join depot on item.depot_id = depot.id
        where
          depot.district_id in (
            select +value
            from json_each(?)
          )
      ) as link on link.target_1 = "member".id
  ) as "member"
where "member"."position" <= ?
order by "member".id;

-- # a way down and up again, joined
-- rows of District: []
select
  district.id, district.name, borrowers.id, borrowers.name, borrowers.blocked, borrowers.sponsor_id
from
  district
  left join (
    select borrowers.id, borrowers.name, borrowers.blocked, borrowers.sponsor_id, link.owner_1
    from
      "member" as borrowers
      join (
        select distinct depot.district_id as owner_1, loan.member_id as target_1
        from
          loan
          join item on loan.item_id = item.id
          join depot on item.depot_id = depot.id
      ) as link on link.target_1 = borrowers.id
  ) as borrowers on borrowers.owner_1 = district.id
order by district.id, borrowers.id;

-- # many to many, by batch
-- rows of Kit: []
select kit.id, kit.category_id, kit.name
from kit
order by kit.id;
-- Kit.items by batch: [{"keysOf":["Kit.id"],"statement":1}]
select item.id, item.depot_id, item.name, item.note, kit_item.kit_id
from
  item
  join kit_item on item.id = kit_item.item_id
where
  kit_item.kit_id in (
    select +value
    from json_each(?)
  )
order by item.id;

-- # a way as a set
-- rows of District: []
select
  (
    select count(*)
    from
      loan
      join item on loan.item_id = item.id
      join depot on item.depot_id = depot.id
    where depot.district_id = district.id
  ),
  (
    select count(*)
    from "member"
    where
      exists (
        select 1
        from
          loan
          join item on loan.item_id = item.id
          join depot on item.depot_id = depot.id
        where
          "member".id = loan.member_id
          and depot.district_id = district.id
      )
  )
from district
order by district.id;

-- # conditions and order of its own
-- rows of Item: []
select item.id, item.depot_id, item.name, item.note, manual.item_id, manual.title, manual."language"
from
  item
  left join manual on manual.item_id = item.id
order by item.id;
-- Item.openLoans by batch: [{"keysOf":["Item.id"],"statement":1}]
select loan.id, loan.item_id, loan.member_id, loan.due, loan.returned
from loan
where
  loan.item_id in (
    select +value
    from json_each(?)
  )
  and loan.returned is null
order by loan.due desc, loan.id desc;

-- # to-many relations, joined, narrowed
-- rows of Depot: []
select
  depot.id, depot.district_id, depot.name, depot.town, items.id, items.depot_id, items.name,
  items.note, district.id, district.name
from
  depot
  left join item as items on items.depot_id = depot.id
  and items.note is not null
  left join district on district.id = depot.district_id
order by depot.id, items.id;

-- # to-many relations, joined, with conditions that leave the row
-- rows of Item: [2]
select
  item.id, item.depot_id, item.name, item.note, loans.id, loans.item_id, loans.member_id, loans.due,
  loans.returned
from
  item
  left join (
    select
      loans.id, loans.item_id, loans.member_id, loans.due, loans.returned,
      row_number() over (
        partition by loans.item_id
        order by loans.id
      ) as "position"
    from
      loan as loans
      left join "member" as borrower on borrower.id = loans.member_id
    where borrower.blocked
  ) as loans on loans.item_id = item.id
  and loans."position" <= ?
order by item.id, loans.id;

-- # matches of texts
-- rows of Item: ["Dr*","*50%*","*l","?a*"]
select item.id, item.depot_id, item.name, item.note
from item
where
  item.name glob ?
  or item.name glob ?
  or item.name glob ?
  or item.note glob ?
order by item.id;

-- # matches of another column
-- rows of Item: []
select item.id, item.depot_id, item.name, item.note
from item
where instr(item.name, item.note) > 0
order by item.id;

-- # in any case
-- rows of Member: ["ada levi"]
select "member".id, "member".name, "member".blocked, "member".sponsor_id
from "member"
where gemach_lower ("member".name) = gemach_lower (?)
order by "member".id;

-- # not a match
-- rows of Item: ["*case*","Old*"]
select item.id, item.depot_id, item.name, item.note
from item
where
  (item.note glob ?) is not true
  and item.name not glob ?
order by item.id;

-- # arithmetic of whole numbers
-- rows of Loan: []
select ((loan.item_id + 1) * 2) / nullif(loan.member_id, 0)
from loan
order by loan.id;

-- # arithmetic of decimals
-- rows of Repair: ["0.5","1.19","20.00"]
select
  gemach_units (
    (
      cast(round(repair.cost * 100) as integer) + (cast(replace(?, '.', '') as integer) * 10)
    ), 2
  )
from repair
where
  cast(
    round(
      (
        cast(round(repair.cost * 100) as integer) * cast(replace(?, '.', '') as integer)
      ) / 100.0
    ) as integer
  ) > cast(replace(?, '.', '') as integer)
order by repair.id;

-- # texts put together
-- rows of Member: [" <",">"]
select
  length(
    gemach_upper ("member".name) || ? || trim(sponsor.name) || ?
  )
from
  "member"
  left join "member" as sponsor on sponsor.id = "member".sponsor_id
order by "member".id;

-- # days
-- rows of Loan: ["2026-06-01"]
select
  cast(substr(loan.due, 1, 4) as integer), (strftime('%w', substr(loan.due, 1, 10)) + 6) % 7 + 1,
  cast(
    julianday(loan.returned) - julianday(loan.due) as integer
  ),
  date(loan.due, 'start of month')
from loan
where date(loan.due, 7 || ' days') < ?
order by loan.id;

-- # instants
-- rows of Repair: []
select
  substr(repair.begun, 1, 10),
  cast(substr(repair.begun, 12, 2) as integer)
from repair
order by repair.id;

-- # cases and defaults
-- rows of Item: ["none",2,"busy","calm"]
select
  coalesce(item.note, ?), case
    when (
      select count(*)
      from loan
      where loan.item_id = item.id
    ) > ? then ?
    else ?
  end
from item
order by item.id;

-- # least, greatest, missing where equal
-- rows of Loan: []
select
  min(loan.item_id, loan.member_id), max(loan.due, loan.returned),
  nullif(loan.item_id, 3)
from loan
order by loan.id;

-- # aggregates of sets
-- rows of Item: []
select
  (
    select gemach_units (sum(cast(round(repair.cost * 100) as integer)), 2)
    from repair
    where repair.item_id = item.id
  ),
  (
    select
      gemach_double (
        gemach_units (sum(cast(round(repair.cost * 100) as integer)), 2)
      ) / count(repair.cost)
    from repair
    where repair.item_id = item.id
  ),
  (
    select count(distinct loan.member_id)
    from loan
    where loan.item_id = item.id
  )
from item
order by item.id;

-- # the first of a set
-- rows of Item: []
select
  (
    select borrower.name
    from
      loan
      left join "member" as borrower on borrower.id = loan.member_id
    where loan.item_id = item.id
    order by loan.due desc, loan.id desc
    limit 1
  )
from item
order by item.id;

-- # a set that is cut
-- rows of Item: [2]
select
  (
    select count(*)
    from
      (
        select 1 as "value"
        from loan
        where loan.item_id = item.id
        order by loan.id
        limit +?
      ) as "some"
  )
from item
order by item.id;

-- # all of a set
-- rows of Item: []
select item.id, item.depot_id, item.name, item.note
from item
where
  not exists (
    select 1
    from loan
    where
      loan.item_id = item.id
      and loan.returned is null
  )
order by item.id;

-- # a list in a projection
-- rows of Item: []
select item.name, item.id
from item
order by item.id;
-- Item.loans of a projection: [{"keysOf":["Item.id"],"statement":1}]
select borrower.name, loan.item_id
from
  loan
  left join "member" as borrower on borrower.id = loan.member_id
where
  loan.item_id in (
    select +value
    from json_each(?)
  )
  and loan.returned is null
order by loan.id;

-- # a list over two steps, cut for each owner
-- rows of Depot: []
select depot.id
from depot
order by depot.id;
-- Depot.items.loans of a projection: [{"keysOf":["Depot.id"],"statement":1},3]
select loan.due, loan.owner_1
from
  (
    select
      loan.id, loan.due, item.depot_id as owner_1,
      row_number() over (
        partition by item.depot_id
        order by loan.due, loan.id
      ) as "position"
    from
      loan
      join item on loan.item_id = item.id
    where
      item.depot_id in (
        select +value
        from json_each(?)
      )
      and item.note is null
  ) as loan
where loan."position" <= ?
order by loan.due, loan.id;

-- # groups
-- rows of Loan: [1]
select
  borrower.name, count(*),
  max(loan.due)
from
  loan
  left join "member" as borrower on borrower.id = loan.member_id
where loan.returned is null
group by borrower.name
having count(*) > ?
order by count(*) desc, borrower.name desc;

-- # groups by several keys, filtered parts
-- rows of Loan: []
select
  loan.item_id, cast(substr(loan.due, 6, 2) as integer),
  count(*) filter (
    where loan.returned is null
  )
from loan
group by loan.item_id, 2
order by loan.item_id, 2;

-- # a key with a value in it
-- rows of Loan: []
select
  cast(substr(loan.due, 6, 2) as integer) + 1,
  count(*)
from loan
group by 1
order by 1;

-- # different rows
-- rows of Loan: []
select loan.item_id, borrower.name
from
  loan
  left join "member" as borrower on borrower.id = loan.member_id
group by loan.item_id, borrower.name
order by loan.item_id, borrower.name;

-- # joins of any entities
-- rows of Loan: []
select loan.due, reservation.code
from
  loan
  join reservation on reservation.item_id = loan.item_id
  and reservation.begins > loan.due
order by loan.id, reservation.id;

-- # a left join over a path
-- rows of Depot: []
select depot.name, reservation.code, item.name
from
  depot
  left join (
    reservation
    left join item on item.id = reservation.item_id
  ) on item.depot_id = depot.id
order by depot.id, reservation.id;

-- # every pair
-- rows of Depot: []
select depot.name, kit.name
from
  depot
  cross join kit
order by depot.id, kit.id;

-- # a join with groups
-- rows of Item: []
select item.name, loan.last
from
  item
  join (
    select loan.item_id as item, max(loan.due) as last
    from loan
    group by loan.item_id
  ) as loan on loan.item = item.id
order by item.id, loan.item;

-- # the first row of each group
-- rows of a query: [1]
select loan.id
from
  (
    select
      loan.id,
      row_number() over (
        partition by loan.item_id
        order by loan.due desc, loan.id desc
      ) as "position"
    from loan
  ) as loan
where loan."position" = ?
order by loan.id;

-- # running and moving
-- rows of Repair: []
select
  gemach_units (
    sum(cast(round(repair.cost * 100) as integer)) over (
      order by
        repair.id rows between unbounded preceding
        and current row
    ), 2
  ),
  sum(repair.item_id) over (
    partition by repair.item_id
    order by
      repair.begun, repair.id rows between 1 preceding
      and 1 following
  ),
  lag(repair.begun, 1) over (
    order by repair.id
  )
from repair
order by repair.id;

-- # a union
-- rows of a query: []
select depot.name
from depot
union
select item.name
from item
where item.note is null
order by 1;

-- # what is in one only, of cut queries
-- rows of a query: [9]
select part."value"
from
  (
    select "member".id as "value"
    from "member"
    order by "member".name, "member".id
    limit +?
  ) as part
except
select loan.member_id as "value"
from loan
order by 1;

-- # a query named and used twice
-- rows of a query: []
with
  busy as (
    select loan.item_id as item, count(*) as loans
    from loan
    group by loan.item_id
  )
select busy.item, busy_2.item
from
  busy
  join busy as busy_2 on busy.loans = busy_2.loans
  and busy.item < busy_2.item
order by busy.item, busy_2.item;

-- # a recursive query
-- rows of a query: [0]
with recursive
  tree (id, depth) as (
    select category.id, ? as depth
    from category
    where category.parent_id is null
    union
    select category.id, tree.depth + 1 as depth
    from
      category
      join tree on category.parent_id = tree.id
  )
select tree.id, tree.depth
from tree
order by tree.id, tree.depth;

-- # one of a query's values
-- rows of Member: []
select "member".id, "member".name, "member".blocked, "member".sponsor_id
from "member"
where
  "member".id in (
    select loan.member_id
    from loan
    where loan.returned is null
  )
order by "member".id;

-- # none of a query's values that may be missing
-- rows of Member: []
select "member".id, "member".name, "member".blocked, "member".sponsor_id
from "member"
where
  "member".id not in (
    select member_2.sponsor_id
    from "member" as member_2
    where member_2.sponsor_id is not null
  )
order by "member".id;

-- # tuples
-- rows of Tag: [[[1,2],[3,4]]]
select tag.depot_id, tag.number, tag.item_id
from tag
where
  (tag.depot_id, tag.number) in (
    select
      json_extract(value, '$[0]'),
      json_extract(value, '$[1]')
    from json_each(?)
  )
order by tag.depot_id, tag.number;

-- # exists and exists not
-- rows of Item: []
select item.id, item.depot_id, item.name, item.note
from item
where
  exists (
    select 1
    from reservation
    where reservation.item_id = item.id
  )
  and not exists (
    select 1
    from kit_item
    where kit_item.item_id = item.id
  )
order by item.id;

-- # value objects
-- rows of Reservation: ["C*"]
select reservation.handover_place, reservation.handover_at
from reservation
where reservation.handover_place glob ?
order by reservation.handover_at, reservation.id;

-- # a template
-- rows of Loan: [7,[1,2]]
select loan.id, loan.item_id, loan.member_id, loan.due, loan.returned
from loan
where
  loan.returned is null
  and loan.member_id = ?
  and loan.item_id in (
    select +value
    from json_each(?)
  )
order by loan.id;

-- # tables
create table if not exists district (
  id integer primary key,
  name text not null
);
create table if not exists depot (
  id integer primary key,
  district_id integer not null,
  name text not null,
  town text not null,
  foreign key (district_id) references district (id)
);
create index if not exists depot_district_id on depot (district_id);
create table if not exists item (
  id integer primary key,
  depot_id integer not null,
  name text not null,
  note text,
  foreign key (depot_id) references depot (id)
);
create index if not exists item_depot_id on item (depot_id);
create table if not exists "member" (
  id integer primary key,
  name text not null,
  blocked integer not null,
  sponsor_id integer,
  foreign key (sponsor_id) references "member" (id)
);
create index if not exists member_sponsor_id on "member" (sponsor_id);
create table if not exists loan (
  id integer primary key,
  item_id integer not null,
  member_id integer not null,
  due text not null,
  returned text,
  foreign key (item_id) references item (id),
  foreign key (member_id) references "member" (id)
);
create index if not exists loan_item_id_due on loan (item_id, due desc);
create index if not exists loan_member_id on loan (member_id);
create table if not exists manual (
  item_id integer not null,
  title text not null check (length(title) <= 80),
  "language" text not null check ("language" in ('en', 'fr', 'he')),
  file blob not null,
  primary key (item_id),
  foreign key (item_id) references item (id)
);
create table if not exists category (
  id integer primary key,
  name text not null,
  parent_id integer,
  foreign key (parent_id) references category (id)
);
create index if not exists category_parent_id on category (parent_id);
create table if not exists kit (
  id integer primary key,
  category_id integer not null,
  name text not null,
  foreign key (category_id) references category (id)
);
create index if not exists kit_category_id on kit (category_id);
create table if not exists kit_item (
  kit_id integer not null,
  item_id integer not null,
  quantity integer not null default 1,
  primary key (kit_id, item_id),
  foreign key (kit_id) references kit (id),
  foreign key (item_id) references item (id)
);
create index if not exists kit_item_item_id on kit_item (item_id);
create table if not exists skill (
  code text not null check (length(code) <= 12),
  name text not null,
  primary key (code)
);
create table if not exists member_skill (
  member_id integer not null,
  skill_code text not null check (length(skill_code) <= 12),
  primary key (member_id, skill_code),
  foreign key (member_id) references "member" (id),
  foreign key (skill_code) references skill (code)
);
create index if not exists member_skill_skill_code on member_skill (skill_code);
create table if not exists repair (
  id integer primary key,
  item_id integer not null,
  volunteer_id integer,
  begun text not null,
  cost text not null default '0.00',
  findings text check (json_valid(findings)),
  foreign key (item_id) references item (id)
);
create index if not exists repair_item_id on repair (item_id);
create index if not exists repair_volunteer_id on repair (volunteer_id);
create table if not exists tag (
  depot_id integer not null,
  number integer not null,
  item_id integer not null unique,
  primary key (depot_id, number),
  foreign key (depot_id) references depot (id),
  foreign key (item_id) references item (id)
);
create table if not exists inspection (
  depot_id integer not null,
  tag_number integer not null,
  inspected_on text not null,
  grams real not null,
  "at" text,
  primary key (depot_id, tag_number, inspected_on),
  foreign key (depot_id, tag_number) references tag (depot_id, number)
);
create table if not exists reservation (
  id text not null,
  item_id integer not null,
  member_id integer not null,
  begins text not null,
  ends text not null,
  days integer generated always as (cast(julianday(ends) - julianday(begins) as integer) + 1) stored,
  deposit text not null default '0.00',
  handover_place text check (length(handover_place) <= 60),
  handover_at text,
  wishes text not null default '[]',
  code text collate nocase not null unique check (length(code) <= 12),
  scans integer not null default 0,
  made text not null,
  primary key (id),
  foreign key (item_id) references item (id),
  foreign key (member_id) references "member" (id),
  constraint reservation_forwards check (ends >= begins),
  constraint reservation_brief check (cast(julianday(ends) - julianday(begins) as integer) < 60)
);
create index if not exists reservation_item_id_begins on reservation (item_id, begins desc);
create index if not exists reservation_member_id_handover_place on reservation (member_id, handover_place) where scans = 0;
