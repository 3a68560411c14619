import { boolean, date, entity, identity, integer, model, snakeCase, text, toMany, toOne } from "gemach";

/** A part of the lending society's tables, as `gemach demo` makes them. */
export const lending = model(
  {
    Depot: entity("depot", { id: identity, name: text, town: text }, { items: toMany("Item", { by: "depotId" }) }),
    Item: entity(
      "item",
      { id: identity, depotId: integer, name: text, note: text.nullable },
      { depot: toOne("Depot", { by: "depotId" }), loans: toMany("Loan", { by: "itemId" }) },
    ),
    Loan: entity(
      "loan",
      { id: identity, itemId: integer, memberId: integer, due: date, returned: date.nullable },
      { item: toOne("Item", { by: "itemId" }), borrower: toOne("Member", { by: "memberId" }) },
      { indexes: [{ on: ["itemId", "due desc"] }] },
    ),
    Member: entity(
      "member",
      { id: identity, name: text, blocked: boolean },
      { loans: toMany("Loan", { by: "memberId" }) },
    ),
  },
  { columnNames: snakeCase },
);
