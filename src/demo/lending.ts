import {
  boolean,
  bytes,
  choice,
  date,
  identity,
  integer,
  json,
  numeric,
  snakeCase,
  text,
  timestamp,
  varchar,
} from "../columns/index.js";
import { entity, linked, model, toMany, toOne, via } from "../model/index.js";
/** The lending society: people borrow tools and household things instead of buying them. */
export const lending = model(
  {
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
        manual: toOne("Manual", { theirs: "itemId" }),
        repairs: toMany("Repair", { by: "itemId" }),
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
  },
  { columnNames: snakeCase },
);
