import { type Database, from, type RowOf } from "gemach";
import { society } from "../../model/society.js";
import { notFound } from "../problems.js";
import type { View } from "../view.js";

const { Category, Depot, Item, Loan, Member, Repair, Reservation } = society;

const newest = 10;

/** A thing with its newest loans and repairs, and who waits for it. */
const detailed = (id: number) =>
  from(Item)
    .byKey(id)
    // One statement: the lists come nested in the row that they belong to.
    .how("nest")
    .reach({
      depot: (d) => d.columns("name", "town"),
      category: (c) => c.columns("name"),
      loans: (l) =>
        l
          .columns("id", "lent", "due", "returned", "turn")
          .limit(newest)
          .reach({ borrower: (m) => m.columns("id", "name") }),
      repairs: (r) =>
        r
          .columns("id", "begun", "what", "cost")
          .limit(newest)
          .reach({ volunteer: (m) => m.columns("name") }),
      reservations: (r) => r.columns("id", "begins", "ends").reach({ member: (m) => m.columns("id", "name") }),
    });

async function good(db: Database, id: number) {
  const item = await db.maybe(detailed(id));
  if (item === null) throw notFound("thing");
  const { name, note, turn, depot, category, loans, repairs, reservations } = item;
  return { id, name, note, turn, depot, category, loans, repairs, reservations };
}

/** A thing, as its page shows it. */
export type ItemDetail = Awaited<ReturnType<typeof good>>;

export const item: View<number, ItemDetail> = {
  name: "thing",
  budget: 1,
  good,

  async naive(db, id) {
    const found = await db.maybe(from(Item).byKey(id));
    if (found === null) throw notFound("thing");
    const depot = await db.single(from(Depot).byKey(found.depotId));
    const category = await db.single(from(Category).byKey(found.categoryId));
    const loans: ItemDetail["loans"][number][] = [];
    for (const { id: loanId, lent, due, returned, turn, memberId } of await db.list(
      from(Loan)
        .where((l) => l.itemId.is(id))
        .orderBy((l) => l.lent.desc)
        .limit(newest),
    )) {
      const borrower = await db.single(from(Member).byKey(memberId));
      loans.push({ id: loanId, lent, due, returned, turn, borrower: { id: borrower.id, name: borrower.name } });
    }
    const repairs: ItemDetail["repairs"][number][] = [];
    for (const { id: repairId, begun, what, cost, volunteerId } of await db.list(
      from(Repair)
        .where((r) => r.itemId.is(id))
        .orderBy((r) => r.begun.desc)
        .limit(newest),
    )) {
      const volunteer = volunteerId === null ? null : await db.maybe(from(Member).byKey(volunteerId));
      repairs.push({
        id: repairId,
        begun,
        what,
        cost,
        volunteer: volunteer === null ? null : { name: volunteer.name },
      });
    }
    const waiting = await db.list(
      from(Reservation)
        .where((r) => r.itemId.is(id))
        .orderBy((r) => r.begins.asc)
        .reach({ member: true }),
    );
    const reservations = waiting.map(({ id: reservationId, begins, ends, member }) => ({
      ...{ id: reservationId, begins, ends },
      member: { id: member.id, name: member.name },
    }));
    const { name, note, turn } = found;
    return {
      ...{ id, name, note, turn, loans, repairs, reservations },
      depot: { name: depot.name, town: depot.town },
      category: { name: category.name },
    };
  },
};

/** What the form of a thing edits: the row, and all of its repairs. */
export const editable = (id: number) =>
  from(Item)
    .byKey(id)
    .columns("id", "name", "note", "depotId", "categoryId", "turn")
    .reach({ repairs: (r) => r.columns("id", "begun", "what", "cost") });

/** A thing as its form reads it. */
export type EditableItem = RowOf<ReturnType<typeof editable>>;
