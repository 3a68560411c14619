import { expect, test } from "vitest";
import {
  boolean,
  bytes,
  entity,
  from,
  identity,
  integer,
  layOut,
  model,
  numeric,
  text,
  timestamp,
  toOne,
  uuid,
  withLedger,
} from "../src/index.js";
import { useEngines } from "./support/engines.js";

const { Manual } = model({
  Manual: entity("manual", {
    id: identity,
    code: text.unique,
    file: bytes.heavy.nullable,
    pages: integer.defaultsTo(1),
    isDraft: boolean.defaultsTo(true).named("draft"),
    fee: numeric(6, 2).defaultsTo("12.5"),
    edition: text.defaultsTo("it's \\ new"),
    added: timestamp.startsAs(() => new Date("2026-05-01T08:30:00Z")),
    token: uuid.startsAs(() => "0189c3a0-0000-7000-8000-000000000001"),
  }),
});
const { all } = useEngines();

test("defaults of the database and of code, unique columns, heavy ones", async () => {
  for (const engine of all()) {
    const db = engine.connect();
    await layOut(db, { Manual });
    const file = Uint8Array.of(1, 2, 3);
    await db.insert(Manual, [
      { code: "a", file },
      { code: "b", pages: 7, isDraft: false, added: new Date(0) },
    ]);
    const made = { fee: "12.50", edition: "it's \\ new", token: "0189c3a0-0000-7000-8000-000000000001" };
    const found = [
      {
        id: 1,
        code: "a",
        pages: 1,
        isDraft: true,
        fee: made.fee,
        edition: made.edition,
        added: new Date("2026-05-01T08:30:00Z"),
        token: made.token,
      },
      {
        id: 2,
        code: "b",
        pages: 7,
        isDraft: false,
        fee: made.fee,
        edition: made.edition,
        added: new Date(0),
        token: made.token,
      },
    ];
    const ledger = await withLedger(db, "plain", () => db.list(from(Manual)));
    expect(ledger.result, engine.name).toStrictEqual(found);
    expect(ledger.statements[0]?.text).not.toContain("file");
    expect(await db.list(from(Manual).select((m) => m.file))).toStrictEqual([file, null]);
    expect(await db.count(from(Manual).where((m) => m.fee.above("9")))).toBe(2);
    await expect(db.insert(Manual, [{ code: "a" }]), engine.name).rejects.toMatchObject({ code: "UNIQUE_VIOLATED" });
    // The database itself knows the defaults: other programs write to it too.
    await engine.execute(
      "insert into manual (code, added, token) values ('c', '2026-01-01 00:00:00', '0189c3a0-0000-7000-8000-000000000002')",
    );
    const other = from(Manual)
      .where((m) => m.code.is("c"))
      .select((m) => ({ pages: m.pages, isDraft: m.isDraft, edition: m.edition }));
    expect(await db.single(other), engine.name).toStrictEqual({ pages: 1, isDraft: true, edition: made.edition });
  }
});

test("tables that refer to each other are created in a right order, and what exists is left alone", async () => {
  const circle = model({
    Shed: entity("shed", { id: identity, keeperId: integer.nullable }, { keeper: toOne("Keeper", { by: "keeperId" }) }),
    Keeper: entity("keeper", { id: identity, shedId: integer }, { shed: toOne("Shed", { by: "shedId" }) }),
    Bench: entity("bench", { id: identity, shedId: integer }, { shed: toOne("Shed", { by: "shedId" }) }),
  });
  for (const engine of all()) {
    const db = engine.connect();
    // As an older program left it: without a foreign key and without an index.
    await engine.execute("create table bench (id integer primary key, shed_id integer, shedId integer)");
    await layOut(db, circle);
    await layOut(db, circle);
    await db.insert(circle.Shed, [{ id: 1 }]);
    await db.insert(circle.Keeper, [{ id: 1, shedId: 1 }]);
    await expect(db.insert(circle.Keeper, [{ id: 2, shedId: 9 }]), engine.name).rejects.toMatchObject({
      code: "FOREIGN_KEY_VIOLATED",
    });
    await expect(db.insert(circle.Shed, [{ id: 2, keeperId: 9 }]), engine.name).rejects.toMatchObject({
      code: "FOREIGN_KEY_VIOLATED",
    });
    await engine.execute("insert into bench (id) values (5)");
  }
});
