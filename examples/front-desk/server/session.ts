import { from } from "gemach";
import { type Context, Hono, type MiddlewareHandler } from "hono";
import { deleteCookie, getSignedCookie, setSignedCookie } from "hono/cookie";
import { z } from "zod";
import { society } from "../model/society.js";
import { checked } from "./checked.js";
import type { DeskEnv, DeskSettings } from "./context.js";
import { notFound, Problem } from "./problems.js";

const { District } = society;

const cookie = "front-desk";

/** The district that a request's session is of; none where there is none, or where it was not signed here. */
async function districtOf(c: Context, secret: string): Promise<number | undefined> {
  const value = await getSignedCookie(c, secret, cookie);
  return typeof value === "string" ? Number(value) : undefined;
}

/**
 * Who comes to a desk says which; the session is of that district alone. A society in earnest would ask for more than
 * that.
 */
export const sessionRoutes = ({ db, secret, today }: DeskSettings) =>
  new Hono<DeskEnv>()
    .get("/session", async (c) => {
      const id = await districtOf(c, secret);
      const district = id === undefined ? null : await db.maybe(from(District).byKey(id));
      return c.json({ today: today(), district: district?.name ?? null });
    })
    .get("/desks", async (c) =>
      c.json(
        await db.list(
          from(District)
            .orderBy((d) => d.name.asc)
            .select((d) => ({ id: d.id, name: d.name })),
        ),
      ),
    )
    .post("/session", checked("json", z.strictObject({ district: z.int() })), async (c) => {
      const district = await db.maybe(from(District).byKey(c.req.valid("json").district));
      if (district === null) throw notFound("district");
      await setSignedCookie(c, cookie, String(district.id), secret, { httpOnly: true, sameSite: "Strict", path: "/" });
      return c.json({ id: district.id, name: district.name });
    })
    .delete("/session", (c) => {
      deleteCookie(c, cookie);
      return c.body(null, 204);
    });

/** Restricts the database to the district of the session. */
export const restricted =
  ({ db, secret }: DeskSettings): MiddlewareHandler<DeskEnv> =>
  async (c, next) => {
    const district = Number(await getSignedCookie(c, secret, cookie));
    if (!Number.isInteger(district) || district < 1)
      throw new Problem(401, "session", "Say first at which desk you are.");
    c.set("db", db.as({ district }));
    await next();
  };
