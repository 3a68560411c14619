import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import Sqlite from "better-sqlite3";
import { expect, expectTypeOf, test } from "vitest";
import { dialects } from "../src/drivers/dialects.js";
import { pgliteDialect } from "../src/drivers/pglite.js";
import { sqlite } from "../src/drivers/sqlite.js";
import {
  and,
  createTables,
  type Database,
  type Driver,
  database,
  double,
  entity,
  from,
  identity,
  integer,
  model,
  preview,
  type Query,
  type Session,
  type Strategy,
  text,
  toMany,
  toOne,
  value,
  via,
  withLedger,
} from "../src/index.js";
import { fill, generate, lending } from "../tools/src/demo/index.js";
import { eachEngine, useSociety } from "./support/engines.js";

const { Category, Depot, Item, Kit, KitItem, Loan, Manual, Member } = lending;
const society = generate(4, 3, { items: 12, members: 10, loans: 30 });
const all = useSociety(society);
const strategies: readonly Strategy[] = ["auto", "join", "batch", "nest"];

/** Each engine's own dialect. */
const every = { ...dialects, pglite: pgliteDialect };
/** The dialect of previews. */
const dialect = dialects.sqlite;

eachEngine(all, "a projection fetches no loan beyond the one shown, nor does a nested relation that is cut", async (db) => {
  const query = from(Member)
    .limit(25)
    .how("nest")
    .reach({ loans: (l) => l.orderBy((x) => x.due.desc).limit(1) });
  const { totals, result } = await withLedger(db, "newest", () => db.list(query));
  expect(totals).toMatchObject({ statements: 1, rows: 25 });
  expect(result.every(({ loans }) => loans.length <= 1)).toBe(true);
});

eachEngine(all, "two to-many relations side by side do not multiply each other, but by join", async (db, engine) => {
  const wide = model({
    Yard: entity("yard", { id: identity, name: text }, { posts: toMany("Post", { by: "yardId" }), gates: toMany("Gate", { by: "yardId" }) }),
    Post: entity("post", { id: identity, yardId: integer }, { yard: toOne("Yard", { by: "yardId" }) }),
    Gate: entity("gate", { id: identity, yardId: integer }, { yard: toOne("Yard", { by: "yardId" }) }),
  });
  await createTables(db, wide);
  await db.insert(wide.Yard, [{ name: "Elm Yard" }]);
  for (const part of [wide.Post, wide.Gate] as const)
    await db.insert(
      part as typeof wide.Post,
      Array.from({ length: 100 }, () => ({ yardId: 1 })),
    );
  const query = from(wide.Yard).reach({ posts: true, gates: true });
  const rows = async (how: Strategy) => (await withLedger(db, how, () => db.list(query.how(how)))).totals.rows;
  expect([await rows("auto"), await rows("nest"), await rows("join")]).toEqual([201, 1, 10_000]);
  for (const how of strategies) expect(await db.list(query.how(how)), `${engine.name} ${how}`).toStrictEqual(await db.list(query));
});

eachEngine(all, "only the columns that are named, heavy ones too, and counts in place of rows", async (db) => {
  const [manual] = await db.list(from(Manual).columns("title", "file").limit(1));
  expectTypeOf(manual).toEqualTypeOf<{ title: string; file: Uint8Array } | undefined>();
  expect(Object.keys(manual ?? {})).toEqual(["title", "file"]);
  for (const how of strategies) {
    const query = from(Item)
      .columns("name")
      .how(how)
      .limit(3)
      .reach({ loans: (l) => l.where((x) => x.returned.is(null)).counted(), depot: (d) => d.columns("town"), kits: true });
    const rows = await db.list(query);
    expectTypeOf(rows[0]?.loans).toEqualTypeOf<number | undefined>();
    const { result, statements } = await withLedger(db, "columns", () => db.list(query));
    expect(result).toStrictEqual(rows);
    expect(statements[0]?.text).not.toMatch(/note|depot.{1,3}name/);
    expect(rows.map(({ name, loans, depot }) => ({ name, loans, depot }))).toStrictEqual(
      society.Item.slice(0, 3).map((i) => ({
        name: i.name,
        loans: society.Loan.filter((l) => l.itemId === i.id && l.returned === null).length,
        depot: { town: society.Depot.find((d) => d.id === i.depotId)?.town },
      })),
    );
  }
  // @ts-expect-error there is no such column
  expect(() => from(Item).columns("colour")).toThrow(expect.objectContaining({ code: "NAME_UNKNOWN" }));
  // @ts-expect-error what was not named is not in the type
  void (async (db: Database) => (await db.list(from(Item).columns("name")))[0]?.note);
});

eachEngine(all, "a tree by one text, and a circle in it comes to an end", async (db, { name }) => {
  const roots = from(Category).where((c) => c.parentId.is(null));
  const query = roots.reach({ children: (c) => c.orderBy((x) => x.name.asc).deep() });
  const { result, totals, statements } = await withLedger(db, "tree", () => db.list(query));
  const isWhole = !name.endsWith("sqlite");
  expect(totals.statements).toBe(isWhole ? 2 : 3);
  if (!isWhole) expect(statements[1]?.text).toBe(statements[2]?.text);
  expectTypeOf(result[0]?.children[0]?.children[0]?.children).not.toBeAny();
  expect(result[0]?.children[0]?.children).toStrictEqual([]);
  expect(result.map(({ id, children }) => [id, children.map((c) => c.id)])).toEqual(
    society.Category.filter((c) => c.parentId === null).map((c) => [c.id, society.Category.filter((x) => x.parentId === c.id).map((x) => x.id)]),
  );
  const first = from(Category).where((c) => c.id.is(1));
  await db.update(first, { parentId: society.Category.find((c) => c.parentId === 1)?.id ?? null });
  const [bitten] = await db.list(first.reach({ children: (c) => c.deep() }));
  expect(bitten?.children.flatMap((c) => c.children)).toEqual([]);
  await db.update(first, { parentId: null });
  // @ts-expect-error only what leads to rows of its own kind is a tree
  expect(() => from(Item).reach({ loans: (l) => l.deep() })).not.toThrow();
});

eachEngine(all, "rows that are in memory are completed, whatever made them", async (db) => {
  const given = [
    { itemId: 1, memberId: 2, mark: "a" },
    { itemId: 2, memberId: 2, mark: "b" },
    { itemId: 1, memberId: 3, mark: "c" },
  ] as const;
  const { result, totals } = await withLedger(db, "given", () => db.reach(given, Loan, { item: { depot: true }, borrower: (b) => b.columns("name") }));
  expect(totals).toMatchObject({ statements: 2, rows: 4 });
  expect(result.map((row) => [row.mark, row.item.id, row.item.depot.id, row.borrower.name])).toEqual(
    given.map((row) => {
      const item = society.Item.find((i) => i.id === row.itemId);
      return [row.mark, row.itemId, item?.depotId, society.Member.find((m) => m.id === row.memberId)?.name];
    }),
  );
  expect(Object.keys(given[0])).toEqual(["itemId", "memberId", "mark"]);
  expect(await db.reach([], Loan, { item: true })).toEqual([]);
  const counts = await withLedger(db, "counts", () =>
    db.reach([{ id: 1 }, { id: 99_999 }, { id: 1 }], Item, { loans: (l) => l.where((x) => x.due.atLeast("2026-01-01")).counted() }),
  );
  const open = society.Loan.filter((l) => l.itemId === 1 && l.due >= "2026-01-01").length;
  expect(counts).toMatchObject({
    result: [
      { id: 1, loans: open },
      { id: 99_999, loans: 0 },
      { id: 1, loans: open },
    ],
    totals: { statements: 1, rows: 1 },
  });
  // @ts-expect-error the key that the relation goes out from is not there
  const keyless = () => db.reach([{ memberId: 1 }], Loan, { item: (i) => i.columns("name"), borrower: true });
  await expect(keyless()).rejects.toMatchObject({ code: "ROW_KEYLESS" });
  // @ts-expect-error the same
  await expect(db.reach([{ memberId: 1 }], Loan, { item: true })).rejects.toMatchObject({ code: "ROW_KEYLESS", names: { column: "Loan.itemId" } });
});

eachEngine(all, "rows with more values than a call takes are not nested", async (db) => {
  const columns = Object.fromEntries(Array.from({ length: 101 }, (_, i) => [`part${i}`, integer.defaultsTo(i)]));
  const wide = model({
    Rack: entity("rack", { id: identity }, { slots: toMany("Slot", { by: "rackId" }) }),
    Slot: entity("slot", { id: identity, rackId: integer, ...columns }, { rack: toOne("Rack", { by: "rackId" }) }),
  });
  await createTables(db, wide);
  expect(await db.insert(wide.Rack, [{}, {}], { returning: true })).toEqual([{ id: 1 }, { id: 2 }]);
  await db.insert(wide.Slot, [{ rackId: 1 }, { rackId: 1 }]);
  const { result, totals } = await withLedger(db, "wide", () => db.list(from(wide.Rack).how("nest").reach({ slots: true })));
  expect([totals.statements, result[0]?.slots.length]).toEqual([2, 2]);
});

test("rows that are too much for one JSON value come one by one", async () => {
  const handle = new Sqlite(":memory:");
  let refused = 0;
  const narrow = Object.assign(Object.create(handle) as typeof handle, {
    prepare: (sql: string) => {
      const statement = handle.prepare(sql);
      if (!sql.includes("json_group_array")) return statement;
      const all = () => {
        refused++;
        throw Object.assign(new Error("string or blob too big"), { code: "SQLITE_TOOBIG" });
      };
      return { reader: true, raw: () => {}, all };
    },
    function: handle.function.bind(handle),
    aggregate: handle.aggregate.bind(handle),
    exec: handle.exec.bind(handle),
  });
  const db = database(sqlite(narrow as never));
  await createTables(db, lending);
  await fill(db, society);
  const all = await db.list(
    from(Manual)
      .columns("title", "file")
      .reach({ item: { repairs: true } }),
  );
  const few = await db.list(
    from(Manual)
      .columns("title", "file")
      .limit(100)
      .reach({ item: { repairs: true } }),
  );
  expect(refused).toBeGreaterThan(0);
  expect(all).toStrictEqual(few);
  handle.close();
});

/** The same driver; after the first statement of a read somebody else writes. */
function interrupted(driver: Driver, between: () => unknown): Driver {
  const wrap = (send: Driver["send"]): Driver["send"] => {
    let sent = 0;
    return (request) => {
      const answer = send(request);
      if (!request.text.startsWith("select") || sent++ > 0) return answer;
      if (!(answer instanceof Promise)) {
        between();
        return answer;
      }
      return answer.then(async (rows) => {
        await between();
        return rows;
      });
    };
  };
  const watched = (session: Session): Session => ({ ...session, send: wrap(session.send) });
  return {
    ...driver,
    send: wrap(driver.send),
    open: () => {
      const session = driver.open();
      return session instanceof Promise ? session.then(watched) : watched(session);
    },
  };
}

test("all statements of a query see one state, though another connection commits between them", async () => {
  const query = from(Depot)
    .where((d) => d.id.is(1))
    .how("batch")
    .reach({ items: (i) => i.where((x) => x.name.startsWith("New")) });
  const folder = mkdtempSync(join(tmpdir(), "gemach-"));
  const [reading, writing] = [new Sqlite(join(folder, "society.db")), new Sqlite(join(folder, "society.db"))];
  const driver = sqlite(reading);
  await createTables(database(driver), lending);
  await fill(database(driver), society);
  writing.pragma("foreign_keys = off");
  const insert = "insert into item (id, depot_id, name) values (5001, 1, 'New Saw')";
  expect((await database(interrupted(driver, () => writing.exec(insert))).single(query)).items).toEqual([]);
  expect((await database(driver).single(query)).items).toHaveLength(1);
  for (const handle of [reading, writing]) handle.close();
  rmSync(folder, { recursive: true });

  for (const engine of all().filter(({ name }) => name === "postgres" || name === "mariadb")) {
    const readWhile = async (options: object, one = query) => {
      const db = database(
        interrupted(engine.driver, () => engine.execute(insert)),
        options,
      );
      const { items } = await db.single(one);
      await engine.execute("delete from item where id = 5001");
      return items.length;
    };
    expect(await readWhile({}), `${engine.name}, without`).toBe(1);
    expect(await readWhile({ snapshot: true }), `${engine.name}, of the database`).toBe(0);
    expect(await readWhile({}, query.snapshot()), `${engine.name}, of the query`).toBe(0);
  }
});

/** The queries of kits' items by so many keys. */
const byKeys = async (db: Database, count: number) => {
  const keys = Array.from({ length: count }, (_, i) => i + 1);
  await db.reach(
    keys.map((id) => ({ id })),
    Kit,
    { items: true },
  );
  await db.list(from(KitItem).where((k) => k.kitId.oneOf(keys)));
};

test("however many keys there are, a server prepares one statement", async () => {
  const named = (name: string) => all().filter((engine) => engine.name === name);
  for (const engine of named("postgres")) {
    const known = "select statement, generic_plans + custom_plans from pg_prepared_statements where statement like '%kit_item%'";
    const before = new Map((await engine.rows(known)).map(([statement, times]) => [statement, Number(times)]));
    for (const count of [1, 2, 5, 9, 12]) await byKeys(engine.connect(), count);
    // One text of the reach and one of the list, each planned or run as prepared as often as it was sent but for the first time.
    const risen = (await engine.rows(known)).map(([statement, times]) => Number(times) - (before.get(statement) ?? 0));
    expect(risen.filter((times) => times > 0)).toEqual([4, 4]);
  }
  for (const engine of named("mariadb")) {
    const sofar = async () =>
      (
        await engine.rows(
          "select cast(variable_value as int) from information_schema.session_status where variable_name in ('COM_STMT_PREPARE', 'COM_STMT_EXECUTE') order by variable_name",
        )
      ).map(([count]) => Number(count)) as [executed: number, prepared: number];
    const before = await sofar();
    for (const count of [1, 2, 5, 9, 12]) await byKeys(engine.connect(), count);
    const [executed, prepared] = await sofar();
    expect(executed - before[0]).toBe(10);
    // One text of the reach; of the list one for a single key, one for up to eight, one for all others.
    expect(prepared - before[1]).toBeLessThanOrEqual(4);
  }
});

eachEngine(all, "each key is sent once, and each row that two paths lead to stands at the end of both", async (db) => {
  const { result, statements } = await withLedger(db, "keys", () =>
    db.list(
      from(Loan)
        .how("batch")
        .reach({ item: { depot: true }, borrower: { loans: { item: true } } }),
    ),
  );
  expect(statements).toHaveLength(6);
  const sent = statements.slice(1).map(({ parameters: [keys] }) => (typeof keys === "string" ? keys.match(/\d+/g) : keys) as readonly unknown[]);
  expect(sent.map((keys) => keys.length)).toEqual(sent.map((keys) => new Set(keys.map(String)).size));
  expect(sent[0]?.length).toBe(new Set(society.Loan.map((l) => l.itemId)).size);
  const itemOf = (id: number) => society.Item.find((i) => i.id === id)?.name;
  for (const { itemId, item, borrower } of result) {
    expect(item.name).toBe(itemOf(itemId));
    expect(borrower.loans.map((l) => l.item.name)).toEqual(borrower.loans.map((l) => itemOf(l.itemId)));
    expect(item).toHaveProperty("depot");
    for (const loan of borrower.loans) expect(loan.item).not.toHaveProperty("depot");
  }
});

test("a preview says which relation is reached how, and why", () => {
  const query = from(Depot).reach({ district: true, items: { loans: (l) => l.how("nest") } });
  expect(preview(query, { dialect }).map(({ purpose, reaches }) => [purpose, reaches])).toEqual([
    [
      "rows of Depot",
      [
        { relation: "Depot.district", how: "join", why: "auto: a to-one relation adds columns, and no rows" },
        { relation: "Depot.items", how: "batch", why: "auto: a to-many relation by its keys multiplies no rows" },
      ],
    ],
    ["Depot.items by batch", [{ relation: "Item.loans", how: "nest", why: "said of the relation in this query" }]],
  ]);
  expect(preview(query, { dialect, how: "join" })[0]?.reaches[1]).toEqual({ relation: "Depot.items", how: "join", why: "said of the database" });
});

test("a row that is named by its key or a unique column has its lists in one statement, and comes as a row", () => {
  const { Yard } = model({
    Yard: entity("yard", { id: identity, code: text.unique, name: text }, { sheds: toMany("Shed", { by: "yardId" }) }),
    Shed: entity("shed", { id: identity, yardId: integer }, { yard: toOne("Yard", { by: "yardId" }) }),
  });
  for (const dialect of Object.values(dialects)) {
    const texts = (query: Query) => preview(query, { dialect }).map((statement) => statement.text);
    const named = [from(Yard).byKey(1), from(Yard).where((y) => y.code.is("elm")), from(Yard).where((y) => and(y.name.is("Elm Yard"), y.code.is("elm")))];
    for (const query of named) {
      expect(texts(query.reach({ sheds: true })), dialect.name).toHaveLength(1);
      expect(texts(query)[0]).not.toContain("json");
    }
    expect(
      texts(
        from(Yard)
          .where((y) => y.name.is("Elm Yard"))
          .reach({ sheds: true }),
      ),
      dialect.name,
    ).toHaveLength(2);
  }
});

eachEngine(all, "the narrowest word on a strategy wins; value objects and projections come alike by each", async (db, engine) => {
  const site = value({ street: text, spot: value({ north: double, east: double }).nullable });
  const { Yard, Shed } = model({
    Yard: entity("walled_yard", { id: identity, site }, { sheds: toMany("Shed", { by: "yardId" }).how("nest") }),
    Shed: entity("walled_shed", { id: identity, yardId: integer, site: site.nullable }, { yard: toOne("Yard", { by: "yardId" }) }),
  });
  const query = from(Yard).reach({ sheds: { yard: true } });
  const ways = (wished: typeof query, how?: Strategy) => preview(wished, { dialect, ...(how && { how }) })[0]?.reaches.map((note) => note.how);
  expect(ways(query)).toEqual(["join", "nest"]);
  expect(ways(query, "join")).toEqual(["join", "nest"]);
  expect(ways(query.how("batch"), "join")).toEqual(["batch"]);
  expect(
    ways(
      from(Yard)
        .how("batch")
        .reach({ sheds: (s) => s.how("join").reach({ yard: true }) }),
    ),
  ).toEqual(["join", "join"]);
  const [spot, yards] = [
    { north: 0.1, east: -3 },
    [1, 2].map((id) => ({ id, site: { street: `Elm ${id}`, spot: id === 1 ? { north: 52.5, east: 1e-7 } : null } })),
  ];
  const sites = [null, { street: "Ash", spot: null }, { street: "Bay", spot }];
  const sheds = sites.map((at, i) => ({ id: i + 1, yardId: 1, site: at }));
  await createTables(db, { Yard, Shed });
  await db.insert(Yard, yards);
  await db.insert(Shed, sheds);
  for (const how of strategies) {
    const whole = from(Yard)
      .how(how)
      .reach({ sheds: { yard: true } });
    expect(await db.list(whole), `${engine.name} ${how}`).toStrictEqual(
      yards.map((y) => ({ ...y, sheds: y.id === 1 ? sheds.map((s) => ({ ...s, yard: yards[0] })) : [] })),
    );
    const part = from(Yard)
      .how(how)
      .reach({
        sheds: (s) =>
          s
            .orderBy((x) => x.id.desc)
            .limit(2)
            .select((x) => ({ at: x.site, town: { yard: x.yard.site.street } })),
      });
    const parts = [sites[2], sites[1]].map((at) => ({ at, town: { yard: "Elm 1" } }));
    expect(await db.list(part), `${engine.name} ${how}, select`).toStrictEqual(yards.map((y) => ({ ...y, sheds: y.id === 1 ? parts : [] })));
  }
});

test("a row that must be there, and is not, is an error that names it in every strategy", async () => {
  const columns = { id: identity, shelfId: integer.nullable, markCode: text };
  const Shelf = entity("tier", { id: identity, name: text });
  const Mark = entity("mark", { code: text.key, shelfId: integer }, { shelf: toOne("Shelf", { by: "shelfId", constraint: false, missing: "error" }) });
  const Box = entity("crate", columns, {
    shelf: toOne("Shelf", { by: "shelfId", constraint: false, missing: "error" }),
    mark: toOne("Mark", { by: "markCode", constraint: false, missing: "error" }),
    markShelf: via("mark", "shelf"),
    label: toOne("Label", { keyInTarget: "boxId", constraint: false, missing: "error" }),
  });
  const Label = entity("label", { boxId: integer.key });
  const strict = model({ Shelf, Mark, Box, Label });
  type ShelfRow = { id: number; name: string };
  // The same tables, read by a model that trusts in constraints that are not there.
  const trusting = model({ Mark: entity("mark", { code: text.key, shelfId: integer }, { shelf: toOne("Shelf", { by: "shelfId" }) }), Shelf });
  for (const engine of all()) {
    const usual = engine.connect();
    await createTables(usual, strict);
    await usual.insert(strict.Shelf, [{ name: "upper" }]);
    await usual.insert(strict.Mark, [
      { code: "red", shelfId: 1 },
      { code: "blue", shelfId: 98 },
    ]);
    await usual.insert(strict.Box, [
      { shelfId: 1, markCode: "red" },
      { shelfId: null, markCode: "red" },
      { shelfId: 99, markCode: "green" },
    ]);
    await usual.insert(strict.Label, [{ boxId: 1 }, { boxId: 3 }]);
    const missing = (relation: string, key: string) => ({ code: "RELATED_MISSING", names: expect.objectContaining({ relation, key }) });
    for (const db of [usual, engine.connect({ generateCode: false })])
      for (const how of strategies) {
        const boxes = from(strict.Box).how(how);
        const right = await db.list(boxes.limit(2).reach({ shelf: true, mark: { shelf: true }, markShelf: (s) => s.select((x) => x.name) }));
        expectTypeOf(right[0]?.mark).toEqualTypeOf<{ code: string; shelfId: number; shelf: ShelfRow } | undefined>();
        expectTypeOf(right[0]?.shelf).toEqualTypeOf<ShelfRow | null | undefined>();
        expectTypeOf(right[0]?.markShelf).toEqualTypeOf<string | undefined>();
        expect(right.map((b) => [b.shelf?.name ?? null, b.mark.shelf.name, b.markShelf])).toEqual([
          ["upper", "upper", "upper"],
          [null, "upper", "upper"],
        ]);
        const keyed = boxes.columns("id");
        for (const [query, relation, key] of [
          [keyed.reach({ shelf: true }), "shelf", "shelfId 99"],
          [keyed.reach({ mark: (m) => m.select((x) => x.code) }), "mark", "markCode"],
          [keyed.reach({ markShelf: true }), "markShelf", "markCode"],
          [keyed.reach({ label: true }), "label", "id 2"],
        ] as const)
          await expect(db.list<object>(query), `${engine.name} ${how} ${relation}`).rejects.toMatchObject(missing(relation, key));
        const shelves = from(strict.Mark).how(how);
        await expect(db.list(shelves.reach({ shelf: true }))).rejects.toThrow("A row of Mark has a key for 'shelf' (shelfId 98), but Shelf has no such row.");
      }
    await expect(usual.reach([{ shelfId: 97 }], strict.Box, { shelf: true })).rejects.toMatchObject(missing("shelf", "shelfId 97"));
    await expect(usual.list(from(trusting.Mark).how("batch").reach({ shelf: true }))).rejects.toMatchObject(missing("shelf", "shelfId 98"));
    expect(
      await usual.list(
        from(strict.Mark)
          .where((m) => m.code.is("blue"))
          .select((m) => m.shelf.name),
      ),
    ).toEqual([null]);
    for (const table of ["label", "crate", "mark", "tier"]) await engine.execute(`drop table ${table}`);
  }
  expect(() => model({ Shelf, Box: entity("crate", columns, { shelf: toOne("Shelf", { by: "shelfId", missing: "eror" as "error" }) }) })).toThrow(
    'missing takes "null" or "error", not "eror"',
  );
});

eachEngine(all, "statements that do not need each other's rows are on their way at once, where there are connections for them", async (db, { name }) => {
  const query = from(Depot)
    .how("batch")
    .reach({ items: { loans: true, repairs: true }, tags: true, district: true });
  const overlapping = async (work: (on: Pick<Database, "list">) => Promise<unknown>) => {
    const { statements } = await withLedger(db, "at once", () => work(db));
    const [root, ...others] = statements;
    // Whatever came first, a ledger has them in the order in which they would have been sent one after the other.
    expect(others.map(({ origin }) => origin.relation)).toEqual(["Depot.items", "Item.loans", "Item.repairs", "Depot.tags", "Depot.district"]);
    const firstEnd = Math.min(...others.map(({ started, milliseconds }) => started + milliseconds));
    for (const { started } of others) expect(started).toBeGreaterThanOrEqual((root?.started ?? 0) + (root?.milliseconds ?? 0));
    return others.filter(({ started }) => started < firstEnd).length;
  };
  const found = await db.list(query);
  const isPool = name === "postgres" || name === "mariadb";
  expect(await overlapping(async (on) => expect(await on.list(query)).toEqual(found))).toBe(isPool ? 3 : 1);
  expect(await overlapping(() => db.transaction(async (tx) => expect(await tx.list(query)).toEqual(found)))).toBe(1);
});

test.each([
  [
    "lists of few rows",
    (rows: number) => from(Depot).limit(rows).reach({ items: true }),
    { sqlite: 100, pglite: 1000, postgres: 10, mariadb: 10 },
    { postgres: 300, mariadb: 300 },
  ],
  [
    "their first rows",
    (rows: number) =>
      from(Item)
        .limit(rows)
        .reach({ loans: (l) => l.orderBy((one) => one.due.desc).limit(3) }),
    { sqlite: 0, pglite: 1000, postgres: 300, mariadb: 0 },
    { postgres: 1000, mariadb: 50 },
  ],
  [
    "lists over links",
    (rows: number) => from(Kit).limit(rows).reach({ items: true }),
    { sqlite: 0, pglite: 50, postgres: 1, mariadb: 10 },
    { postgres: 100, mariadb: 1000 },
  ],
] as const)("%s come in one statement, up to as many as was measured for each engine and how far it is", (_, queryOf, near, far) => {
  const isOne = (rows: number, name: keyof typeof every, roundTrip: number) => preview(queryOf(rows), { dialect: every[name], roundTrip }).length === 1;
  const check = (most: Readonly<Partial<Record<keyof typeof every, number>>>, roundTrip: number) => {
    for (const [name, rows] of Object.entries(most) as [keyof typeof every, number][]) {
      if (rows > 0) expect(isOne(rows, name, roundTrip), `${name}, ${rows}`).toBe(true);
      expect(isOne(rows + 1, name, roundTrip), `${name}, ${rows + 1}`).toBe(false);
    }
  };
  check(near, 0);
  check(near, 0.5);
  check(far, 4);
  expect(() => database({} as Driver, { roundTrip: -1 })).toThrow("roundTrip");
});
