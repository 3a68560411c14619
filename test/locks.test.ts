import { expect, test } from "vitest";
import { dialects } from "../src/drivers/dialects.js";
import { type Database, from, preview } from "../src/index.js";
import { generate, lending } from "../tools/src/demo/index.js";
import { useSociety } from "./support/engines.js";

const { Loan } = lending;
const all = useSociety(generate(2));

test("rows that a transaction locked are skipped, refused, or free, as the other one asks", async () => {
  for (const { name, connect } of all()) {
    const first = from(Loan)
      .orderBy((l) => l.id.asc)
      .limit(3);
    const ids = (rows: readonly { readonly id: number }[]) => rows.map(({ id }) => id).toSorted((a, b) => a - b);
    const [mine, other] = [connect(), connect()];
    await expect(mine.list(first.lock("update"))).rejects.toMatchObject({ code: "LOCK_OUTSIDE" });
    const reading = mine.transaction((tx) => tx.list(first.lock("update")), { readOnly: true });
    await expect(reading).rejects.toMatchObject({ code: "TRANSACTION_READ_ONLY" });
    const skipping = (limit: number) =>
      from(Loan)
        .where((l) => l.id.atMost(limit))
        .lock("share", "skip locked");
    const free = (db: Database, limit: number) => db.transaction(async (tx) => ids(await tx.list(skipping(limit))));
    // PGlite has a single connection, and a transaction of SQLite's the file to itself: nobody else is there to be kept waiting.
    if (name === "pglite" || name.endsWith("sqlite")) {
      expect(await free(mine, 3)).toEqual([1, 2, 3]);
      continue;
    }
    const locked = from(Loan)
      .where((l) => l.id.oneOf([1, 3]))
      .reach({ item: true });
    await mine.transaction(async (tx) => {
      expect(ids(await tx.list(locked.lock("update"))), name).toEqual([1, 3]);
      expect(ids(await other.list(first)), name).toEqual([1, 2, 3]);
      expect(await free(other, 4), name).toEqual([2, 4]);
      const refused = other.transaction((theirs) => theirs.list(locked.lock("update", "no wait")));
      await expect(refused, name).rejects.toMatchObject({ code: "BUSY" });
    });
    expect(await free(other, 3), name).toEqual([1, 2, 3]);
  }
});

test("a lock is of the root's rows alone", () => {
  const query = from(Loan)
    .reach({ borrower: { sponsor: true } })
    .limit(1)
    .lock("update", "skip locked");
  expect(preview(query, { dialect: dialects.postgres })[0]?.text).toMatch(/ limit 1 for update of loan skip locked$/);
  expect(preview(query, { dialect: dialects.mariadb })[0]?.text).toMatch(/ limit \? for update skip locked$/);
  expect(() => from(Loan).lock("upgrade" as "update")).toThrow(expect.objectContaining({ code: "VALUE_UNFIT" }));
});
