import {
  bigint,
  boolean,
  bytes,
  choice,
  date,
  double,
  entities,
  entity,
  identity,
  integer,
  isoTimestamp,
  json,
  linked,
  list,
  model,
  numeric,
  snakeCase,
  text,
  time,
  timestamp,
  toMany,
  toOne,
  uuid,
  value,
  varchar,
  via,
} from "gemach";
import { Euros, euros, newUuid, noWildGuess, Reservation } from "./domain.js";
/** The lending society: people borrow tools and household things instead of buying them. */
export class Lending extends entities({
  District: entity(
    "district",
    { id: identity, name: text },
    {
      depots: toMany("Depot", { by: "districtId" }),
      items: via("depots", "items"),
      loans: via("items", "loans"),
      borrowers: via("loans", "borrower"),
    },
  ),
  Depot: entity(
    "depot",
    { id: identity, districtId: integer, name: text, town: text },
    {
      district: toOne("District", { by: "districtId" }),
      items: toMany("Item", { by: "depotId" }),
      tags: toMany("Tag", { by: "depotId" }),
      openLoans: via("items", "openLoans"),
    },
  ),
  Item: entity(
    "item",
    { id: identity, depotId: integer, name: text, note: text.nullable },
    {
      depot: toOne("Depot", { by: "depotId" }),
      loans: toMany("Loan", { by: "itemId" }),
      openLoans: toMany("Loan", { by: "itemId", when: { returned: null }, order: { due: "desc" } }),
      manual: toOne("Manual", { keyInTarget: "itemId" }),
      repairs: toMany("Repair", { by: "itemId" }),
      tag: toOne("Tag", { keyInTarget: "itemId" }),
      reservations: toMany("Reservation", { by: "itemId" }),
      kits: linked("Kit", { by: "KitItem" }),
    },
  ),
  Loan: entity(
    "loan",
    { id: identity, itemId: integer, memberId: integer, due: date, returned: date.nullable },
    {
      item: toOne("Item", { by: "itemId" }),
      borrower: toOne("Member", { by: "memberId" }),
      depot: via("item", "depot"),
      district: via("depot", "district"),
    },
    { indexes: [{ on: ["itemId", "due desc"] }] },
  ),
  Member: entity(
    "member",
    { id: identity, name: text, blocked: boolean, sponsorId: integer.nullable },
    {
      loans: toMany("Loan", { by: "memberId" }),
      sponsor: toOne("Member", { by: "sponsorId" }),
      sponsored: toMany("Member", { by: "sponsorId" }),
      borrowed: via("loans", "item"),
      skills: linked("Skill", { by: "MemberSkill" }),
      reservations: toMany("Reservation", { by: "memberId" }),
    },
  ),
  /** Has an item's own key: an item has one manual, or none. */
  Manual: entity(
    "manual",
    { itemId: integer.key, title: varchar(80), language: choice("en", "fr", "he"), file: bytes.heavy },
    { item: toOne("Item", { by: "itemId" }) },
  ),
  Category: entity(
    "category",
    { id: identity, name: text, parentId: integer.nullable },
    {
      parent: toOne("Category", { by: "parentId" }),
      children: toMany("Category", { by: "parentId" }),
      kits: toMany("Kit", { by: "categoryId" }),
    },
  ),
  Kit: entity(
    "kit",
    { id: identity, categoryId: integer, name: text },
    {
      category: toOne("Category", { by: "categoryId" }),
      parts: toMany("KitItem", { by: "kitId" }),
      items: linked("Item", { by: "KitItem" }),
    },
  ),
  KitItem: entity(
    "kit_item",
    { kitId: integer.key, itemId: integer.key, quantity: integer.defaultsTo(1) },
    {
      kit: toOne("Kit", { by: "kitId" }),
      item: toOne("Item", { by: "itemId" }),
    },
  ),
  Skill: entity("skill", { code: varchar(12).key, name: text }, { members: linked("Member", { by: "MemberSkill" }) }),
  MemberSkill: entity(
    "member_skill",
    { memberId: integer.key, skillCode: varchar(12).key },
    {
      member: toOne("Member", { by: "memberId" }),
      skill: toOne("Skill", { by: "skillCode" }),
    },
  ),
  Repair: entity(
    "repair",
    {
      id: identity,
      itemId: integer,
      volunteerId: integer.nullable,
      begun: timestamp,
      cost: numeric(8, 2).defaultsTo("0"),
      findings: json<{ readonly parts: readonly string[] }>().nullable,
    },
    {
      item: toOne("Item", { by: "itemId" }),
      // Volunteers of other societies help too: their numbers lead nowhere here.
      volunteer: toOne("Member", { by: "volunteerId", constraint: false }),
    },
  ),
  /** What is stuck on an item: a number of its own inside of each depot. */
  Tag: entity(
    "tag",
    { depotId: integer.key, number: integer.key, itemId: integer.unique },
    {
      depot: toOne("Depot", { by: "depotId" }),
      item: toOne("Item", { by: "itemId" }),
      inspections: toMany("Inspection", { by: ["depotId", "tagNumber"] }),
    },
  ),
  Inspection: entity(
    "inspection",
    {
      depotId: integer.key,
      tagNumber: integer.key,
      on: date.named("inspected_on").key,
      grams: double,
      at: time.nullable,
    },
    { tag: toOne("Tag", { by: ["depotId", "tagNumber"] }) },
  ),
  Reservation: entity(
    "reservation",
    {
      id: uuid.key.startsAs(newUuid),
      itemId: integer,
      memberId: integer,
      begins: date,
      ends: date,
      /** Both days count. */
      days: integer.computed,
      deposit: numeric(8, 2).as(euros).defaultsTo(new Euros(0)),
      handover: value({ place: varchar(60).meets(noWildGuess), at: time.nullable }).nullable,
      wishes: list(varchar(40)).defaultsTo([]),
      code: varchar(12).unique.collated({ sqlite: "nocase", mariadb: "utf8mb4_nopad_bin" }),
      scans: bigint.defaultsTo(0n),
      made: isoTimestamp,
    },
    {
      item: toOne("Item", { by: "itemId" }),
      member: toOne("Member", { by: "memberId" }).how("batch"),
    },
    {
      as: Reservation,
      indexes: [{ on: ["itemId", "begins desc"] }, { on: ["memberId", "handover.place"], when: { scans: 0n } }],
      checks: (r) => ({ forwards: r.ends.atLeast(r.begins), brief: r.ends.daysSince(r.begins).below(60) }),
      computes: (r) => ({ days: r.ends.daysSince(r.begins).plus(1) }),
    },
  ),
  /** A table of the society's former software, which nothing here writes. */
  FormerLoan: entity("loan", { number: text.key, item: text, member: text }, {}, { schema: "former", readOnly: true }),
}) {}

/** Its model. */
export const lending = model(Lending, { columnNames: snakeCase });
