import Sqlite from "better-sqlite3";
import { expect, test } from "vitest";
import { postgres } from "../src/drivers/postgres.js";
import { sqlite } from "../src/drivers/sqlite.js";
import * as gemach from "../src/index.js";
import { undone } from "../src/testing/index.js";

// Options as plain JavaScript may have them: what a call does not know is refused, with what is near to it.
// biome-ignore lint/suspicious/noExplicitAny: no compiler sees these programs
const g = gemach as any;
const { database, entity, from, identity, model, text, timestamp, toMany } = gemach;
const house = model({
  Hut: entity("op_hut", { id: identity, name: text, built: timestamp.nullable }, { beds: toMany("Bed", { by: "hutId", owns: true }) }),
  Bed: entity("op_bed", { id: identity, hutId: gemach.integer }, { hut: gemach.toOne("Hut", { by: "hutId" }) }),
});
const { Hut } = house;
const db = database(sqlite(new Sqlite(":memory:"))) as Any;
type Any = ReturnType<typeof JSON.parse>;
const work = (then: (w: Any) => unknown) => db.work(async (w: Any) => await then(w));

const refused: readonly (readonly [what: string, call: () => unknown, said: string])[] = [
  ["toOne", () => g.toOne("Hut", { theirs: ["id"] }), "toOne(\"Hut\") has no option 'theirs'"],
  ["toOne, misspelt", () => g.toOne("Hut", { by: "hutId", wen: {} }), "Did you mean 'when'?"],
  ["toOne, misspelt constraint", () => g.toOne("Hut", { by: "hutId", onDelte: "cascade" }), "Did you mean 'onDelete'?"],
  ["toMany", () => g.toMany("Bed", { by: "hutId", own: true }), "Did you mean 'owns'?"],
  ["linked", () => g.linked("Bed", { by: "Link", form: "a" }), "Did you mean 'from'?"],
  ["entity", () => g.entity("hut", {}, {}, { readonly: true }), "Did you mean 'readOnly'?"],
  ["a standing condition", () => g.entity("hut", {}, {}, { standing: { own: { column: "id", givn: "x" } } }), "Did you mean 'given'?"],
  ["an index", () => g.entity("hut", {}, {}, { indexes: [{ on: ["id"], uniqe: true }] }), "Did you mean 'unique'?"],
  ["model", () => g.model({}, { columnName: g.snakeCase }), "Did you mean 'columnNames'?"],
  ["database", () => g.database(sqlite(new Sqlite(":memory:")), { snapshots: true }), "Did you mean 'snapshot'?"],
  ["hooks", () => g.database(sqlite(new Sqlite(":memory:")), { hooks: { befourWrite: () => {} } }), "Did you mean 'beforeWrite'?"],
  [
    "postgres",
    () => postgres({ query: async () => ({ rows: [], rowCount: 0 }), connect: async () => ({}) } as Any, { prepar: true } as Any),
    "Did you mean 'prepare'?",
  ],
  ["list", () => db.list(from(Hut), { timeLimits: 5 }), "Did you mean 'timeLimit'?"],
  ["insert", () => db.insert(Hut, [], { return: true }), "insert() has no option 'return'"],
  ["update", () => db.update(from(Hut), { name: "x" }, { al: true }), "Did you mean 'all'?"],
  ["deleteForGood", () => db.deleteForGood(from(Hut), { al: true }), "Did you mean 'all'?"],
  ["restore", () => db.restore(from(Hut), { al: true }), "Did you mean 'all'?"],
  ["transaction", () => db.transaction(async () => {}, { retries_: 1 }), "Did you mean 'retries'?"],
  ["a transaction inside", () => undone(db, (tx: Any) => tx.transaction(async () => {}, { isolaton: "serializable" })), "Did you mean 'isolation'?"],
  ["work", () => db.work(async () => {}, { cohorts: 1 }), "Did you mean 'cohort'?"],
  ["patch", () => work((w) => w.patch(w.add(Hut, { name: "x" }), {}, { remove: [] })), "Did you mean 'removes'?"],
];

test.each(refused)("an option that %s does not have is refused", async (_, call, said) => {
  const error: Any = await (async () => await call())().catch((caught: unknown) => caught);
  expect(error).toMatchObject({ code: "OPTION_UNKNOWN" });
  expect(error.message).toContain(said);
});

test("what is no key is told as that, and an invalid Date as invalid", async () => {
  for (const options of [{}, { by: 5 }, undefined]) expect(() => g.toOne("Hut", options)).toThrow("takes a column's name, or a list of such");
  await gemach.createTables(db, house);
  await expect(db.insert(Hut, [{ name: "x", built: new Date("no day") }])).rejects.toThrow("an invalid Date");
});
