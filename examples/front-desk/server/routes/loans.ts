import { from } from "gemach";
import { Hono } from "hono";
import { z } from "zod";
import { society } from "../../model/society.js";
import { checked } from "../checked.js";
import { type DeskEnv, type DeskSettings, wayOf } from "../context.js";
import { notFound, Problem } from "../problems.js";
import { show } from "../view.js";
import { dashboard } from "../views/dashboard.js";
import { overdue } from "../views/overdue.js";

const { Loan } = society;

const place = z.object({ after: z.string().optional(), before: z.string().optional() });

/** Loans: taken back, overdue, counted. */
export const loanRoutes = ({ today }: DeskSettings) =>
  new Hono<DeskEnv>()
    .get("/overdue", checked("query", place), async (c) =>
      c.json(await show(overdue, c.var.db, { today: today(), ...c.req.valid("query") }, wayOf(c))),
    )
    .get("/dashboard", async (c) => c.json(await show(dashboard, c.var.db, { today: today() }, wayOf(c))))
    .post("/loans/:id/return", checked("param", z.object({ id: z.coerce.number().int() })), async (c) => {
      const returned = today();
      await c.var.db.work(async (w) => {
        const loan = await w.maybe(from(Loan).byKey(c.req.valid("param").id));
        if (loan === null) throw notFound("loan");
        if (loan.returned !== null) throw new Problem(409, "returned", "It has come back already.");
        loan.returned = returned;
      });
      return c.json({ returned });
    });
