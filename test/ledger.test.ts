import { readFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { expect, test } from "vitest";
import { BudgetError, type Database, type DatabaseOptions, from, type Ledger, ledgerLines, readLedgerLines, withBudget, withLedger } from "../src/index.js";
import { connectionOf } from "../src/run/index.js";
import { generate, lending } from "../tools/src/demo/index.js";
import { useSociety } from "./support/engines.js";

const { Depot, District, Item, Kit, Loan, Member } = lending;
const all = useSociety(generate(40, 7, { items: 5, members: 2, loans: 10 }));

const onAll = async (check: (db: Database) => Promise<void>, options: DatabaseOptions = {}): Promise<void> => {
  for (const engine of all()) await check(engine.connect(options));
};

/** A clock by which all takes equally long, however busy the machine is. */
const steady = (): DatabaseOptions => {
  let time = 0;
  return { clock: () => (time += 0.1) };
};

const loop = async (db: Database) => {
  const found = [];
  for (const depot of await db.list(from(Depot))) found.push({ ...depot, items: await db.list(from(Item).where((i) => i.depotId.is(depot.id))) });
  return found;
};

const withItems = from(Depot).reach({ items: true });

/** What is done, and how many statements it may send. */
const costs: readonly (readonly [what: string, statements: number, act: (db: Database) => Promise<unknown>])[] = [
  ["40 depots and their items by a loop", 41, loop],
  ["40 depots and their items by batch", 2, (db) => db.list(withItems.how("batch"))],
  ["40 depots and their items by join", 1, (db) => db.list(withItems.how("join"))],
  ["40 depots and their items by auto", 2, (db) => db.list(withItems)],
  ["to-one relations by auto", 1, (db) => db.list(from(Loan).reach({ item: { depot: true }, borrower: true }))],
  [
    "to-one relations by batch",
    4,
    (db) =>
      db.list(
        from(Loan)
          .how("batch")
          .reach({ item: { depot: true }, borrower: true }),
      ),
  ],
  [
    "a relation's own strategy wins over the query's",
    1,
    (db) =>
      db.list(
        from(Depot)
          .how("batch")
          .reach({ items: (i) => i.how("join") }),
      ),
  ],
  ["and holds for what it reaches in turn", 1, (db) => db.list(from(Depot).reach({ items: (i) => i.how("join").reach({ loans: true }) }))],
  [
    "a root that does not exist",
    1,
    (db) =>
      db.maybe(
        from(Depot)
          .where((d) => d.id.is(-1))
          .reach({ items: { loans: true } }),
      ),
  ],
  [
    "an empty list",
    1,
    (db) =>
      db.list(
        from(Depot)
          .limit(0)
          .reach({ items: { loans: true } }),
      ),
  ],
  ["owners without any related row: nothing below them", 2, (db) => db.list(from(Depot).reach({ items: (i) => i.limit(0).reach({ loans: true }) }))],
  [
    "no key in any row",
    1,
    (db) =>
      db.list(
        from(Member)
          .where((m) => m.sponsorId.is(null))
          .how("batch")
          .reach({ sponsor: true }),
      ),
  ],
  ["a way up of four levels, loaded", 1, (db) => db.list(from(Loan).reach({ district: true }))],
  ["a way up of four levels, by batch", 2, (db) => db.list(from(Loan).how("batch").reach({ district: true }))],
  ["a way up of four levels, in a condition", 1, (db) => db.count(from(Loan).where((l) => l.district.name.is("Millside")))],
  ["a way down of four levels, counted", 1, (db) => db.list(from(District).select((d) => d.loans.count()))],
  ["a way down of four levels, by join", 1, (db) => db.list(from(District).how("join").reach({ loans: true }))],
  ["a way down of four levels, by batch", 2, (db) => db.list(from(District).reach({ loans: true }))],
  ["many to many, by join", 1, (db) => db.list(from(Kit).how("join").reach({ items: true }))],
  ["many to many, by batch", 2, (db) => db.list(from(Kit).reach({ items: true }))],
  ["a count", 1, (db) => db.count(withItems)],
  ["whether there is any", 1, (db) => db.exists(withItems)],
];

test.each(costs)("%s: %i statements", (_, statements, act) =>
  onAll(async (db) => {
    const ledger = await withLedger(db, "cost", () => act(db), { thresholds: { slow: Number.POSITIVE_INFINITY } });
    expect(ledger.totals.statements).toBe(statements);
    expect(ledger.statements).toHaveLength(statements);
    expect(ledger.findings).toHaveLength(act === loop ? 1 : 0);
  }),
);

test("every way to the depots and their items gives the same answer", () =>
  onAll(async (db) => {
    const answers = await Promise.all([loop(db), db.list(withItems), db.list(withItems.how("join")), db.list(withItems.how("batch"))]);
    for (const answer of answers) expect(answer).toStrictEqual(answers[0]);
  }));

test("a root limit is the database's, also where a to-many relation is joined", () =>
  onAll(async (db) => {
    for (const how of ["join", "batch"] as const) {
      const ledger = await withLedger(db, how, () => db.list(withItems.how(how).limit(3)));
      expect(ledger.result).toStrictEqual((await db.list(withItems)).slice(0, 3));
      const items = ledger.result.reduce((sum, depot) => sum + depot.items.length, 0);
      expect(ledger.totals.rows).toBe(how === "join" ? items : items + 3);
    }
  }));

test("no row on the way is fetched, and none twice for one owner", () =>
  onAll(async (db) => {
    const [districts, loans] = [await db.list(from(District)), await db.count(from(Loan))];
    const rowsOf = async (act: () => Promise<unknown>) => (await withLedger(db, "rows", act)).totals.rows;
    expect(await rowsOf(() => db.list(from(District).reach({ loans: true })))).toBe(districts.length + loans);
    expect(await rowsOf(() => db.list(from(District).how("join").reach({ loans: true })))).toBe(loans);
    expect(await rowsOf(() => db.list(from(District).select((d) => d.loans.count())))).toBe(districts.length);
    const borrowers = await db.list(from(District).select((d) => d.borrowers.count()));
    const sum = borrowers.reduce((total, count) => total + count, 0);
    expect(sum).toBeLessThan(loans);
    expect(await rowsOf(() => db.list(from(District).reach({ borrowers: true })))).toBe(districts.length + sum);
  }));

test("the text of a batch does not depend on the number of keys", () =>
  onAll(async (db) => {
    const texts = async (depots: number) => {
      const query = from(Depot)
        .where((d) => d.id.atMost(depots))
        .how("batch")
        .reach({ items: true });
      const { statements } = await withLedger(db, "keys", () => db.list(query));
      return statements.map(({ text }) => text);
    };
    const one = await texts(1);
    for (const depots of [2, 7, 40]) expect(await texts(depots)).toEqual(one);
  }));

test("a statement is recorded with parameters, rows, time and the line that asked for it", () =>
  onAll(async (db) => {
    const ledger = await withLedger(db, "line", async () => {
      await db.list(from(Item).where((i) => i.id.atMost(2))); // the line
      return "done";
    });
    const [statement] = ledger.statements;
    const lines = readFileSync(fileURLToPath(import.meta.url), "utf8").split("\n");
    expect(ledger).toMatchObject({ label: "line", result: "done", totals: { statements: 1, rows: 2 } });
    expect(statement).toMatchObject({ parameters: [2], rows: 2, failed: false });
    expect(statement?.text).toMatch(/where item\.id <= /);
    expect(statement?.milliseconds).toBeGreaterThan(0);
    expect(ledger.milliseconds).toBeGreaterThanOrEqual(statement?.milliseconds ?? Number.POSITIVE_INFINITY);
    expect(statement?.origin.at?.file).toBe(fileURLToPath(import.meta.url));
    expect(lines[(statement?.origin.at?.line ?? 0) - 1]).toContain("// the line");
  }));

test("each statement says what it is for: the verb, its query, entity, relation and strategy", () =>
  onAll(async (db) => {
    const query = from(Depot).limit(2).how("batch").reach({ items: true });
    const { statements } = await withLedger(db, "origins", async () => {
      await db.list(query);
      await db.page(query, { size: 2 });
      await db.insert(Depot, [{ districtId: 1, name: "Nowhere", town: "Carrow" }]);
      await db.delete(from(Depot).where((d) => d.name.is("Nowhere")));
    });
    const origins = statements.map(({ origin }) => [origin.verb, origin.purpose, origin.entity, origin.relation, origin.strategy]);
    const [rows, items] = [
      ["rows of Depot", "Depot", undefined, undefined],
      ["Depot.items by batch", "Item", "Depot.items", "batch"],
    ] as const;
    expect(origins).toEqual([
      ["list", ...rows],
      ["list", ...items],
      ["page", "number of rows of Depot", "Depot", undefined, undefined],
      ["page", ...rows],
      ["page", ...items],
      ["insert", "new rows of Depot", "Depot", undefined, undefined],
      ["delete", "deleted rows of Depot", "Depot", undefined, undefined],
    ]);
    expect(statements.slice(0, 5).every(({ origin }) => origin.query === query)).toBe(true);
  }));

test("an observer is told of each statement at its beginning and at its end", () =>
  onAll(async (db) => {
    const told: string[] = [];
    const end = connectionOf(db, "test").sender.watch.add({
      begins: ({ origin }) => void told.push(`begins ${origin.purpose}`),
      ends: ({ origin, rows }) => void told.push(`ends ${origin.purpose}: ${rows}`),
    });
    await db.list(
      from(Depot)
        .limit(1)
        .reach({ items: (i) => i.limit(1) }),
    );
    end();
    await db.count(from(Depot));
    expect(told).toEqual(["begins rows of Depot", "ends rows of Depot: 1", "begins Depot.items by batch", "ends Depot.items by batch: 1"]);
  }));

test("a failed statement is recorded too, and the error comes through", () =>
  onAll(async (db) => {
    const double = { districtId: 1, id: 1, name: "Elm Yard", town: "Carrow" };
    const ledger: Ledger<string> = await withLedger(db, "failing", () =>
      db.insert(Depot, [double]).then(
        () => "in",
        (error) => error.code as string,
      ),
    );
    expect(ledger).toMatchObject({ result: "UNIQUE_VIOLATED", statements: [{ failed: true, rows: 0 }] });
    await expect(withLedger(db, "thrown", () => db.insert(Depot, [double]))).rejects.toMatchObject({
      code: "UNIQUE_VIOLATED",
    });
  }));

test("work beside a ledger stays out of it, and an inner ledger's statements count in the outer one", () =>
  onAll(async (db) => {
    const outer = withLedger(db, "outer", async () => {
      await db.count(from(Loan));
      return withLedger(db, "inner", () => db.count(from(Item)));
    });
    const beside = Promise.all([db.count(from(Member)), db.count(from(Member))]);
    const [ledger] = await Promise.all([outer, beside]);
    expect(ledger.totals.statements).toBe(2);
    expect(ledger.result.totals.statements).toBe(1);
  }));

test("a clock of one's own measures the times", async () => {
  for (const engine of all()) {
    let time = 0;
    const db = engine.connect({ clock: () => (time += 10) });
    const { statements, milliseconds } = await withLedger(db, "clock", () => db.count(from(Loan)));
    expect([statements[0]?.milliseconds, statements[0]?.waiting, milliseconds]).toEqual([20, 10, 60]);
  }
});

test("what waits for a connection is told apart, of a statement, a verb of several, and a transaction", () =>
  onAll(async (db) => {
    // As many as the servers' pools have connections; others have one.
    const held = Array.from({ length: 4 }, () => db.transaction(() => new Promise((resolve) => setTimeout(resolve, 40))));
    const ledgers = await Promise.all([
      withLedger(db, "statement", () => db.count(from(Loan))),
      withLedger(db, "verb", () => db.list(withItems.snapshot())),
      withLedger(db, "transaction", () => db.transaction((tx) => tx.count(from(Loan)))),
    ]);
    await Promise.all(held);
    for (const { label, totals, milliseconds } of ledgers) {
      expect(totals.waiting, label).toBeGreaterThan(20);
      expect(totals.waiting + totals.assembling, label).toBeLessThanOrEqual(milliseconds + 1);
      expect(totals.assembling, label).toBeLessThan(totals.waiting);
    }
    expect((await withLedger(db, "free", () => db.count(from(Loan)))).totals.waiting).toBeLessThan(20);
    // Beside each other they take no more time than there was.
    const together = await withLedger(db, "together", () => Promise.all(Array.from({ length: 20 }, () => db.list(withItems))));
    expect(together.totals.assembling).toBeLessThanOrEqual(together.milliseconds);
  }));

test("a loop that reads, and a read that is repeated, are found with what to write in their place", async () => {
  await onAll(async (db) => {
    const looped = await withLedger(db, "loop", () => loop(db));
    expect(looped.findings).toMatchObject([{ kind: "repeat", at: { file: fileURLToPath(import.meta.url) } }]);
    const [found] = looped.findings;
    expect(found?.statements).toHaveLength(40);
    expect(found?.evidence).toMatch(/^40 statements for Item at ledger\.test\.ts:\d+, each with other values: 200 rows in all/);
    expect(found?.remedy).toContain("from(Depot).reach({ items: true })");
    // What the remedy says, done.
    const cured = await withLedger(db, "reach", () => db.list(from(Depot).reach({ items: true })));
    expect([cured.findings, cured.result]).toEqual([[], looped.result]);
    const lazy = (cohort: number) =>
      withLedger(db, "lazy", () =>
        db.work(
          async (w) => {
            for (const loan of await w.list(from(Loan).limit(30))) await loan.borrower;
          },
          { cohort },
        ),
      );
    expect((await lazy(1)).findings).toMatchObject([{ kind: "repeat", remedy: expect.stringContaining("from(Loan).reach({ borrower: true })") }]);
    expect((await lazy(1000)).findings).toEqual([]);
    const echoed = await withLedger(db, "echo", async () => {
      for (let i = 0; i < 3; i++) await db.count(from(Loan));
    });
    expect(echoed.findings).toMatchObject([
      { kind: "echo", evidence: expect.stringMatching(/^The same statement for Loan with the same values 3 times at ledger/) },
    ]);
    const between = await withLedger(db, "written", async () => {
      for (let i = 0; i < 2; i++) {
        await db.count(from(Loan));
        await db.update(from(Item).byKey(1), { note: null });
      }
    });
    expect(between.findings).toEqual([]);
    const many = Array.from({ length: 6 }, (_, i) => ({ itemId: 1, memberId: 1, due: `2026-01-0${i + 1}` }));
    const chatty = await withLedger(db, "chatty", async () => {
      for (const row of many) await db.insert(Loan, [row]);
    });
    expect(chatty.findings).toMatchObject([
      {
        kind: "chatty-write",
        evidence: expect.stringMatching(/^6 calls of insert\(\) for Loan at ledger/),
        remedy: expect.stringContaining("db.insert(Loan, rows)"),
      },
    ]);
    expect((await withLedger(db, "together", () => db.insert(Loan, many))).findings).toEqual([]);
    await db.delete(from(Loan).where((l) => l.due.below("2026-01-07")));
  }, steady());
});

test("a budget ends work that sends more statements, and says which", async () => {
  await onAll(async (db) => {
    const lazy = (budget: number, cohort: number) =>
      db.work(
        async (w) => {
          for (const loan of await w.list(from(Loan).limit(30))) await loan.borrower;
        },
        { budget, cohort },
      );
    await lazy(2, 1000);
    const error = await lazy(5, 1).catch((thrown: unknown) => thrown);
    expect(error).toBeInstanceOf(BudgetError);
    expect((error as BudgetError).message).toMatch(/^The budget of 5 statements is used up:\n {2}- 5 × lazy read at .*ledger\.test\.ts:\d+: select/);
    await expect(db.transaction(async (tx) => [await tx.count(from(Item)), await tx.count(from(Loan))], { budget: 1 })).rejects.toMatchObject({
      code: "BUDGET_EXCEEDED",
    });
    await db.transaction((tx) => tx.transaction((inner) => inner.count(from(Item))), { budget: 1 });
    const rows = db.transaction((tx) => tx.list(from(Loan)), { budget: { rows: 300 } });
    await expect(rows).rejects.toMatchObject({ code: "BUDGET_EXCEEDED", names: { what: "rows", most: 300 } });
    expect(await withBudget(db, { statements: 2, rows: 1000 }, () => db.list(withItems))).toHaveLength(40);
    const block = await withBudget(db, 20, () => loop(db)).catch((thrown: unknown) => thrown);
    expect(block).toBeInstanceOf(BudgetError);
    expect((block as BudgetError).message).toMatch(
      /The budget of 20 statements[\s\S]*20 × list at [\s\S]*Finding: repeat\. [\s\S]*from\(Depot\)\.reach\(\{ items: true \}\)/,
    );
    // Work beside it spends nothing of it.
    await Promise.all([withBudget(db, 1, () => db.count(from(Item))), db.count(from(Loan)), db.count(from(Loan))]);
    let time = 0;
    const slow = all()[0]?.connect({ clock: () => (time += 100) });
    await expect(withBudget(slow as Database, { milliseconds: 150 }, () => (slow as Database).list(withItems))).rejects.toThrow(
      /The budget of 150 milliseconds/,
    );
  });
});

test("a ledger is written down as JSON Lines without its values, and tells the same when it is read", async () => {
  await onAll(async (db) => {
    const ledger = await withLedger(db, "loop", () => loop(db));
    const hidden = ledgerLines(ledger);
    const [head, ...lines] = hidden
      .trimEnd()
      .split("\n")
      .map((line) => JSON.parse(line));
    const { milliseconds, totals } = ledger;
    expect([head, lines.length]).toEqual([{ ledger: "loop", milliseconds, statements: 41, totals }, 41 + ledger.findings.length]);
    expect(lines.every((line) => !("parameters" in line))).toBe(true);
    for (const text of [hidden, ledgerLines(ledger, { values: true })]) {
      const read = readLedgerLines(text);
      expect(read).toMatchObject({ label: "loop", totals: ledger.totals });
      expect(read.findings[0]).toMatchObject({ kind: "repeat", evidence: ledger.findings[0]?.evidence });
    }
    expect(readLedgerLines(ledgerLines(ledger, { values: true })).statements[3]?.parameters).toEqual(ledger.statements[3]?.parameters);
  });
  expect(() => readLedgerLines("{}")).toThrow(expect.objectContaining({ code: "LINES_UNREADABLE", names: { line: 1 } }));
});
