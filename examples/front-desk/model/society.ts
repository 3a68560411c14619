import {
  boolean,
  date,
  entities,
  entity,
  identity,
  integer,
  model,
  numeric,
  snakeCase,
  timestamp,
  toMany,
  toOne,
  varchar,
  when,
} from "gemach";

/** Rows of one district are all that a desk sees; new ones get it by themselves. */
const district = { column: "districtId", given: "district" } as const;

/** What was removed is kept, out of sight. */
const present = { column: "removed", is: null, removed: () => new Date() } as const;

/** The lending society, as its front desks see it. */
export class Society extends entities({
  District: entity(
    "district",
    { id: identity, name: varchar(60).unique },
    { depots: toMany("Depot", { by: "districtId" }) },
  ),
  Depot: entity(
    "depot",
    { id: identity, districtId: integer, name: varchar(60), town: varchar(60) },
    { district: toOne("District", { by: "districtId" }), items: toMany("Item", { by: "depotId" }) },
    { standing: { district } },
  ),
  Category: entity(
    "category",
    { id: identity, name: varchar(40).unique },
    { items: toMany("Item", { by: "categoryId" }) },
  ),
  Item: entity(
    "item",
    {
      id: identity,
      districtId: integer,
      depotId: integer,
      categoryId: integer,
      name: varchar(80),
      note: varchar(400).nullable,
      removed: timestamp.nullable,
      turn: integer.version,
    },
    {
      depot: toOne("Depot", { by: "depotId", missing: "error" }),
      category: toOne("Category", { by: "categoryId" }),
      loans: toMany("Loan", { by: "itemId", order: { lent: "desc" } }),
      // The same two statements for a list of things on each engine.
      openLoans: toMany("Loan", { by: "itemId", when: { returned: null } }).how("batch"),
      repairs: toMany("Repair", { by: "itemId", owns: true, order: { begun: "desc" } }),
      reservations: toMany("Reservation", { by: "itemId", order: { begins: "asc" } }),
    },
    {
      standing: { district, present },
      indexes: [{ on: ["districtId", "name"] }],
      checks: (i) => ({ named: i.name.trim().length().above(1) }),
    },
  ),
  Member: entity(
    "member",
    { id: identity, districtId: integer, name: varchar(80), blocked: boolean.defaultsTo(false) },
    { loans: toMany("Loan", { by: "memberId" }), reservations: toMany("Reservation", { by: "memberId" }) },
    { standing: { district }, indexes: [{ on: ["districtId", "name"] }] },
  ),
  Loan: entity(
    "loan",
    {
      id: identity,
      districtId: integer,
      itemId: integer,
      memberId: integer,
      lent: date,
      due: date,
      returned: date.nullable,
      /** The item while it is out: no item is out twice, whoever lends it at the same moment. */
      itemOut: integer.nullable.computed.unique,
      turn: integer.version,
    },
    {
      // An item that was removed is still the one that was lent.
      item: toOne("Item", { by: "itemId" }),
      borrower: toOne("Member", { by: "memberId", missing: "error" }),
    },
    {
      standing: { district },
      indexes: [{ on: ["itemId", "lent desc"] }, { on: ["districtId", "due"] }],
      checks: (l) => ({ forwards: l.due.atLeast(l.lent) }),
      computes: (l) => ({ itemOut: when(l.returned.is(null), l.itemId).otherwise(null) }),
    },
  ),
  Repair: entity(
    "repair",
    {
      id: identity,
      districtId: integer,
      itemId: integer,
      volunteerId: integer.nullable,
      begun: date,
      what: varchar(120),
      cost: numeric(8, 2).defaultsTo("0"),
    },
    { item: toOne("Item", { by: "itemId" }), volunteer: toOne("Member", { by: "volunteerId" }) },
    {
      standing: { district },
      indexes: [{ on: ["itemId", "begun desc"] }],
      checks: (r) => ({ described: r.what.trim().length().above(1), paid: r.cost.atLeast("0") }),
    },
  ),
  Reservation: entity(
    "reservation",
    { id: identity, districtId: integer, itemId: integer, memberId: integer, begins: date, ends: date },
    { item: toOne("Item", { by: "itemId" }), member: toOne("Member", { by: "memberId", missing: "error" }) },
    {
      standing: { district },
      indexes: [{ on: ["itemId", "begins"] }],
      checks: (r) => ({ forwards: r.ends.atLeast(r.begins), brief: r.ends.daysSince(r.begins).below(60) }),
    },
  ),
}) {}

export const society = model(Society, { columnNames: snakeCase });
