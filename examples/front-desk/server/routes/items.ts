import { along, and, from } from "gemach";
import { Hono } from "hono";
import { z } from "zod";
import { society } from "../../model/society.js";
import { checked } from "../checked.js";
import { type DeskEnv, type DeskSettings, wayOf } from "../context.js";
import { fieldsInvalid, notFound, Problem } from "../problems.js";
import { show } from "../view.js";
import { editable, item } from "../views/item.js";
import { choices, itemOrders, items, membersNamed } from "../views/items.js";

const { Item, Loan, Member, Reservation } = society;

const id = z.object({ id: z.coerce.number().int() });
const optional = z.string().trim().min(1).optional().catch(undefined);
const filter = z.object({
  text: optional,
  depot: z.coerce.number().int().optional(),
  category: z.coerce.number().int().optional(),
  state: z.enum(["in", "out"]).optional(),
  order: z.enum(itemOrders).default("name"),
  after: z.string().optional(),
  before: z.string().optional(),
});

/** What a form may change: nothing else of a document is taken. */
const editableNames = [
  ...["Item.name", "Item.note", "Item.depotId", "Item.categoryId", "Item.repairs"],
  ...["Repair.begun", "Repair.what", "Repair.cost"],
];

/** The most statements that a request which changes something may send. */
const budget = { budget: 12 } as const;

/** Things: looked for, seen, lent, reserved, edited. */
export const itemRoutes = ({ today }: DeskSettings) =>
  new Hono<DeskEnv>()
    .get("/items", checked("query", filter), async (c) =>
      c.json(await show(items, c.var.db, c.req.valid("query"), wayOf(c))),
    )
    .get("/choices", async (c) => c.json(await choices(c.var.db)))
    .get("/members", checked("query", z.object({ text: optional })), async (c) =>
      c.json(await c.var.db.list(membersNamed(c.req.valid("query").text).columns("id", "name", "blocked"))),
    )
    .get("/items/:id", checked("param", id), async (c) =>
      c.json(await show(item, c.var.db, c.req.valid("param").id, wayOf(c))),
    )
    .get("/items/:id/form", checked("param", id), async (c) => {
      const found = await c.var.db.maybe(editable(c.req.valid("param").id));
      if (found === null) throw notFound("thing");
      return c.json(found);
    })
    .post("/items", checked("json", Item.newRowSchema), async (c) => {
      const [added] = await c.var.db.insert(Item, [c.req.valid("json")], { returning: (i) => ({ id: i.id }) });
      return c.json(added, 201);
    })
    .patch("/items/:id", checked("param", id), async (c) => {
      const key = c.req.valid("param").id;
      const document = await c.req.json<object>().catch(() => {
        throw new Problem(400, "json", "That is no JSON.");
      });
      try {
        await c.var.db.work(async (w) => {
          const [edited] = await w.list(editable(key));
          if (edited === undefined) throw notFound("thing");
          await w.patch(edited, document, { only: editableNames, removes: ["Item.repairs"] });
        }, budget);
      } catch (error) {
        const code = (error as { code?: string }).code;
        if (code !== "CONFLICT") throw error;
        // Whoever edits sees what the other one has written, and decides.
        const current = await c.var.db.maybe(editable(key));
        throw new Problem(409, "conflict", "Somebody else changed this thing since you opened it.", { current });
      }
      return c.json(await c.var.db.single(editable(key)));
    })
    .delete("/items/:id", checked("param", id), async (c) => {
      await c.var.db.work(async (w) => {
        const found = await w.maybe(from(Item).byKey(c.req.valid("param").id));
        if (found === null) throw notFound("thing");
        if (await w.exists(along(Item, found, "openLoans")))
          throw new Problem(409, "out", "It is out: it can be removed once it is back.");
        w.remove(found);
      }, budget);
      return c.body(null, 204);
    })
    .post(
      "/items/:id/loans",
      checked("param", id),
      checked("json", z.strictObject({ memberId: z.int(), due: z.iso.date() })),
      async (c) => {
        const { memberId, due } = c.req.valid("json");
        const lent = today();
        if (due < lent) throw fieldsInvalid([{ message: "is in the past", path: ["due"] }]);
        const loan = await c.var.db.work(async (w) => {
          const [found, borrower] = await Promise.all([
            w.maybe(from(Item).byKey(c.req.valid("param").id)),
            w.maybe(from(Member).byKey(memberId)),
          ]);
          if (found === null) throw notFound("thing");
          if (borrower === null)
            throw fieldsInvalid([{ message: "is no member of this district", path: ["memberId"] }]);
          if (borrower.blocked)
            throw fieldsInvalid([{ message: `${borrower.name} may not borrow at present`, path: ["memberId"] }]);
          if (await w.exists(along(Item, found, "openLoans"))) throw new Problem(409, "out", "It is lent already.");
          const others = along(Item, found, "reservations").where((r) =>
            and(r.begins.atMost(due), r.ends.atLeast(lent), r.memberId.isNot(memberId)),
          );
          if (await w.exists(others))
            throw new Problem(409, "reserved", "Somebody has reserved it for a part of that time.");
          return w.add(Loan, { itemId: found.id, memberId, lent, due, returned: null });
        }, budget);
        return c.json({ id: loan.id, lent, due }, 201);
      },
    )
    .post(
      "/items/:id/reservations",
      checked("param", id),
      checked("json", z.strictObject({ memberId: z.int(), begins: z.iso.date(), ends: z.iso.date() })),
      async (c) => {
        const { memberId, begins, ends } = c.req.valid("json");
        const reservation = await c.var.db.work(async (w) => {
          const [found, member] = await Promise.all([
            w.maybe(from(Item).byKey(c.req.valid("param").id).lock("update")),
            w.maybe(from(Member).byKey(memberId)),
          ]);
          if (found === null) throw notFound("thing");
          if (member === null) throw fieldsInvalid([{ message: "is no member of this district", path: ["memberId"] }]);
          const others = along(Item, found, "reservations").where((r) =>
            and(r.begins.atMost(ends), r.ends.atLeast(begins)),
          );
          if (await w.exists(others))
            throw new Problem(409, "reserved", "Somebody has reserved it for a part of that time.");
          return w.add(Reservation, { itemId: found.id, memberId, begins, ends });
        }, budget);
        return c.json({ id: reservation.id, begins, ends }, 201);
      },
    );
