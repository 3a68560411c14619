import { Hono } from "hono";
import type { DeskEnv, DeskSettings } from "./context.js";
import { headers, ownOrigin, shortBodies } from "./guard.js";
import { answerOf, notFound } from "./problems.js";
import { itemRoutes } from "./routes/items.js";
import { loanRoutes } from "./routes/loans.js";
import { restricted, sessionRoutes } from "./session.js";

/** The desk's interface for its page: types go from the model through it to the page. */
const interfaceOf = (settings: DeskSettings) => {
  const own = new Hono<DeskEnv>()
    .use(restricted(settings))
    .route("/", itemRoutes(settings))
    .route("/", loanRoutes(settings));
  return new Hono<DeskEnv>().route("/", sessionRoutes(settings)).route("/", own);
};

export type DeskInterface = ReturnType<typeof interfaceOf>;

/** All that the server answers but the page itself. */
export function desk(settings: DeskSettings): Hono<DeskEnv> {
  const app = new Hono<DeskEnv>();
  app.use(headers, ownOrigin(settings.hosts), shortBodies);
  app.onError((error) => {
    const problem = answerOf(error);
    return Response.json(problem, { status: problem.status, headers: { "content-type": "application/problem+json" } });
  });
  app.route("/api", interfaceOf(settings));
  app.all("/api/*", () => {
    throw notFound("thing");
  });
  return app;
}
