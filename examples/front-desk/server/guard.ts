import type { MiddlewareHandler } from "hono";
import { bodyLimit } from "hono/body-limit";
import { NONCE, secureHeaders } from "hono/secure-headers";
import type { DeskEnv } from "./context.js";
import { Problem } from "./problems.js";

/** Nothing is loaded but from the desk itself, no code is made of texts, and no other page may show this one. */
export const headers: MiddlewareHandler = secureHeaders({
  contentSecurityPolicy: {
    defaultSrc: ["'none'"],
    scriptSrc: ["'self'"],
    styleSrc: ["'self'", NONCE],
    imgSrc: ["'self'", "data:"],
    fontSrc: ["'self'"],
    connectSrc: ["'self'"],
    formAction: ["'self'"],
    baseUri: ["'none'"],
    frameAncestors: ["'none'"],
  },
  referrerPolicy: "same-origin",
  // The desk itself speaks plain HTTP; who puts it behind TLS says so there.
  strictTransportSecurity: false,
});

/**
 * Refuses requests for another host (a name that somebody made lead here), and those that change something and come
 * from a page of another origin.
 */
export const ownOrigin =
  (hosts: readonly string[]): MiddlewareHandler<DeskEnv> =>
  async (c, next) => {
    const host = c.req.header("host") ?? "";
    if (!hosts.includes(host)) throw new Problem(421, "host", "This desk is not reached under that name.");
    if (!["GET", "HEAD"].includes(c.req.method)) {
      const origin = c.req.header("origin");
      const isOther =
        origin !== undefined && !hosts.some((one) => origin === `http://${one}` || origin === `https://${one}`);
      if (isOther || c.req.header("sec-fetch-site") === "cross-site")
        throw new Problem(403, "origin", "Only the desk's own page may change something.");
    }
    await next();
  };

/** No form of the desk is longer. */
export const shortBodies = bodyLimit({
  maxSize: 64 * 1024,
  onError: () => {
    throw new Problem(413, "too-long", "That is more than the desk takes at once.");
  },
});
