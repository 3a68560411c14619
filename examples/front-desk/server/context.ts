import type { Database } from "gemach";
import type { Context } from "hono";
import type { ways } from "./view.js";

/** What handlers of requests find. */
export interface DeskEnv {
  readonly Variables: {
    /** The database, restricted to the district that the request's session is of. */
    readonly db: Database;
  };
}

/** What the server was started with. */
export interface DeskSettings {
  readonly db: Database;
  /** What signs sessions. */
  readonly secret: string;
  /** The day that it is. */
  readonly today: () => string;
  /** Under which names the desk is reached, with the port: others are refused. */
  readonly hosts: readonly string[];
}

/** In which way the page wants its view made. */
export const wayOf = (c: Context): (typeof ways)[number] => (c.req.header("x-way") === "naive" ? "naive" : "good");
