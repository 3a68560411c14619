import Sqlite from "better-sqlite3";
import pg from "pg";
import { test } from "vitest";
import { fill, generate } from "../src/demo/generate.js";
import { lending } from "../src/demo/lending.js";
import { postgres } from "../src/drivers/postgres.js";
import { sqlite } from "../src/drivers/sqlite.js";
import { database, from, layOut, withLedger } from "../src/index.js";

const { Depot, Item, Loan, Member } = lending;
test("smoke", async () => {
  const admin = new pg.Pool({ host: "127.0.0.1", user: "root", database: "postgres" });
  await admin.query("drop database if exists gemach_smoke");
  await admin.query("create database gemach_smoke");
  const pool = new pg.Pool({ host: "127.0.0.1", user: "root", database: "gemach_smoke" });
  const dbs = [database(sqlite(new Sqlite(":memory:"))), database(postgres(pool))];
  for (const db of dbs) {
    await layOut(db, lending);
    await fill(db, generate(40));
    for (const how of ["batch", "join"] as const) {
      const l = await withLedger(db, how, async () =>
        db.list(
          from(Depot)
            .how(how)
            .reach({ items: (i) => i.reach({ loans: (l) => l.limit(2).reach({ borrower: true }) }) }),
        ),
      );
      console.log(
        db.dialect,
        how,
        l.totals,
        l.statements[0]?.at,
        JSON.stringify(l.result).length,
        JSON.stringify(l.result).slice(0, 400),
      );
    }
    console.log(
      await db.count(from(Loan).where((l) => l.returned.is(null))),
      await db.exists(from(Member).where((m) => m.blocked)),
      await db.maybe(from(Item).where((i) => i.id.is(-1))),
    );
    console.log(
      await db.list(
        from(Depot)
          .limit(2)
          .select((d) => ({
            name: d.name,
            open: d.items.loans.where((l) => l.returned.is(null)).count(),
            any: d.items.exists(),
          })),
      ),
    );
    await db.single(from(Member).where((m) => m.blocked)).catch((e) => console.log(e.message));
  }
  await pool.end();
  await admin.query("drop database gemach_smoke");
  await admin.end();
});
