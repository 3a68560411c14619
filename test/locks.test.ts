import { expect, test } from "vitest";
import { generate, lending } from "../src/demo/index.js";
import { dialects } from "../src/drivers/dialects.js";
import { database, from, preview } from "../src/index.js";
import { useSociety } from "./support/engines.js";

const { Loan } = lending;
const all = useSociety(generate(2));

test("rows that a transaction locked are skipped, refused, or free, as the other one asks", async () => {
  for (const { name, driver, connect } of all()) {
    const first = from(Loan)
      .orderBy((l) => l.id.asc)
      .limit(3);
    const ids = (rows: readonly { readonly id: number }[]) => rows.map(({ id }) => id);
    if (name === "sqlite" || name === "node-sqlite") {
      await expect(connect().list(first.lock("update"))).rejects.toMatchObject({ code: "ENGINE_UNABLE" });
      continue;
    }
    // PGlite has a single connection: nobody else is there to be kept waiting.
    if (name === "pglite") {
      expect(ids(await connect().list(first.lock("update", "skip locked")))).toEqual([1, 2, 3]);
      continue;
    }
    const other = connect();
    const session = await driver.open();
    await session.begin({});
    try {
      const mine = database({ ...driver, send: session.send });
      const locked = from(Loan)
        .where((l) => l.id.oneOf([1, 3]))
        .reach({ item: true });
      expect(ids(await mine.list(locked.lock("update"))), name).toEqual([1, 3]);
      expect(ids(await other.list(first)), name).toEqual([1, 2, 3]);
      expect(
        ids(
          await other.list(
            from(Loan)
              .where((l) => l.id.atMost(4))
              .lock("share", "skip locked"),
          ),
        ),
        name,
      ).toEqual([2, 4]);
      await expect(other.list(locked.lock("update", "no wait")), name).rejects.toMatchObject({ code: "BUSY" });
    } finally {
      await session.rollback();
      session.close(false);
    }
    expect(ids(await other.list(first.lock("update", "no wait"))), name).toEqual([1, 2, 3]);
  }
});

test("a lock is of the root's rows alone", () => {
  const query = from(Loan)
    .reach({ borrower: { sponsor: true } })
    .limit(1)
    .lock("update", "skip locked");
  expect(preview(query, { dialect: dialects.postgres })[0]?.text).toMatch(/ limit \$1 for update of loan skip locked$/);
  expect(preview(query, { dialect: dialects.mariadb })[0]?.text).toMatch(/ limit \? for update skip locked$/);
  expect(() => from(Loan).lock("upgrade" as "update")).toThrow(expect.objectContaining({ code: "VALUE_UNFIT" }));
});
