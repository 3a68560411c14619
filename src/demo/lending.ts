import { boolean, date, entity, identity, integer, model, snakeCase, text, toMany, toOne } from "../model/index.js";

/** The lending society: people borrow tools and household things instead of buying them. */
export const lending = model(
  {
    District: entity(
      "district",
      { id: identity, name: text },
      {
        depots: toMany("Depot", { by: "districtId" }),
      },
    ),
    Depot: entity(
      "depot",
      { id: identity, districtId: integer, name: text, town: text },
      {
        district: toOne("District", { by: "districtId" }),
        items: toMany("Item", { by: "depotId" }),
      },
    ),
    Item: entity(
      "item",
      { id: identity, depotId: integer, name: text, note: text.nullable },
      {
        depot: toOne("Depot", { by: "depotId" }),
        loans: toMany("Loan", { by: "itemId" }),
      },
    ),
    Loan: entity(
      "loan",
      { id: identity, itemId: integer, memberId: integer, due: date, returned: date.nullable },
      {
        item: toOne("Item", { by: "itemId" }),
        borrower: toOne("Member", { by: "memberId" }),
      },
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
  },
  { columnNames: snakeCase },
);
