import {
  boolean,
  date,
  entities,
  entity,
  identity,
  integer,
  linked,
  model,
  numeric,
  snakeCase,
  text,
  toMany,
  toOne,
  via,
} from "gemach";

/** The lending society: people borrow tools and household things instead of buying them. */
export class Lending extends entities({
  Depot: entity(
    "depot",
    { id: identity, name: text, town: text },
    {
      items: toMany("Item", { by: "depotId" }),
      loans: via("items", "loans"),
    },
  ),
  Item: entity(
    "item",
    { id: identity, depotId: integer, name: text, price: numeric(8, 2), note: text.nullable },
    {
      depot: toOne("Depot", { by: "depotId" }),
      loans: toMany("Loan", { by: "itemId" }),
      kits: linked("Kit", { by: "KitItem" }),
    },
  ),
  Loan: entity(
    "loan",
    { id: identity, itemId: integer, memberId: integer, lent: date, due: date, returned: date.nullable },
    { item: toOne("Item", { by: "itemId" }), borrower: toOne("Member", { by: "memberId" }) },
    { indexes: [{ on: ["itemId", "lent desc"] }] },
  ),
  Member: entity(
    "member",
    { id: identity, name: text, blocked: boolean, sponsorId: integer.nullable },
    {
      loans: toMany("Loan", { by: "memberId" }),
      sponsor: toOne("Member", { by: "sponsorId" }),
      sponsored: toMany("Member", { by: "sponsorId" }),
    },
  ),
  Kit: entity(
    "kit",
    { id: identity, name: text },
    { parts: toMany("KitItem", { by: "kitId" }), items: linked("Item", { by: "KitItem" }) },
  ),
  KitItem: entity(
    "kit_item",
    { kitId: integer.key, itemId: integer.key, quantity: integer },
    {
      kit: toOne("Kit", { by: "kitId" }),
      item: toOne("Item", { by: "itemId" }),
    },
  ),
}) {}

export const { Depot, Item, Loan, Member, Kit, KitItem } = model(Lending, { columnNames: snakeCase });
