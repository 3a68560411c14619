import { randomBytes } from "node:crypto";
import { readFile } from "node:fs/promises";
import { fileURLToPath } from "node:url";
import { serve } from "@hono/node-server";
import { serveStatic } from "@hono/node-server/serve-static";
import { desk } from "./app.js";
import { openDatabase } from "./database.js";

const {
  FRONT_DESK_DATABASE = "sqlite:front-desk.sqlite",
  FRONT_DESK_ADDRESS: address = "127.0.0.1",
  FRONT_DESK_PORT = "4180",
  FRONT_DESK_TODAY,
  FRONT_DESK_SECRET = randomBytes(32).toString("hex"),
  FRONT_DESK_HOSTS,
} = process.env;
const port = Number(FRONT_DESK_PORT);

const { db, close } = await openDatabase(FRONT_DESK_DATABASE);
const app = desk({
  db,
  secret: FRONT_DESK_SECRET,
  today: () => FRONT_DESK_TODAY ?? new Date().toISOString().slice(0, 10),
  hosts: FRONT_DESK_HOSTS?.split(",") ?? [`127.0.0.1:${port}`, `localhost:${port}`, `${address}:${port}`],
});

// The page, as it was built; its styles of the moment are known by a number that each request has anew.
const built = fileURLToPath(new URL("../page/", import.meta.url));
const page = await readFile(`${built}index.html`, "utf8");
app.use(
  "/assets/*",
  serveStatic({ root: built, onFound: (_, c) => c.header("cache-control", "public, max-age=31536000, immutable") }),
);
app.get("/*", (c) => c.html(page.replaceAll("%NONCE%", c.get("secureHeadersNonce") ?? "")));

const server = serve({ fetch: app.fetch, hostname: address, port }, () => {
  console.log(`The front desk is at http://${address}:${port}
Things to try:
  say at which desk you are, look for a "drill", and lend it to somebody
  open one thing in two windows, and change it in both
  turn on "naive" in the foot of the page, and open the ledger`);
});

const stop = (): void => void server.close(() => void close().then(() => process.exit()));
for (const signal of ["SIGINT", "SIGTERM"] as const) process.once(signal, stop);
