import { expect, expectTypeOf } from "vitest";
import {
  bigint,
  bytes,
  createTables,
  entity,
  from,
  type Hooks,
  identity,
  integer,
  json,
  list,
  model,
  type RowWrite,
  text,
  timestamp,
  toMany,
  toOne,
  value,
} from "../src/index.js";
import { eachEngine, useEngines } from "./support/engines.js";

const { all } = useEngines(true);
const desk = model({
  Case: entity(
    "hk_case",
    {
      id: identity,
      name: text,
      by: text.nullable,
      numbers: list(bigint),
      times: list(timestamp),
      files: list(bytes),
      part: value({ big: bigint, data: bytes, at: timestamp, words: text }),
      facts: json<unknown>(),
    },
    { notes: toMany("Note", { by: "caseId", owns: true }) },
  ),
  Note: entity("hk_note", { id: identity, caseId: integer, words: text }, { case: toOne("Case", { by: "caseId" }) }),
});
const { Case, Note } = desk;
const row = {
  name: "one",
  by: null,
  numbers: [5n, 2n ** 62n],
  times: [new Date(0), new Date(1_700_000_000_000)],
  files: [Uint8Array.of(0, 255), new Uint8Array()],
  part: { big: 7n, data: Uint8Array.of(9), at: new Date(5), words: "5n" },
  facts: { n: 1, words: "7n" },
};
const pause = () => new Promise((resolve) => setTimeout(resolve, 2));

eachEngine(all, "hooks get values as they are, whatever they are inside of", async (_, engine) => {
  await createTables(engine.connect(), desk);
  const seen: Pick<RowWrite, "kind" | "old" | "fresh" | "columns">[] = [];
  const db = engine.connect({
    hooks: { beforeWrite: ({ kind, old, fresh, columns }) => void seen.push({ kind, old, fresh: fresh && { ...fresh }, columns }) },
  });
  await db.insert(Case, [row]);
  expect(await db.list(from(Case))).toEqual([{ id: expect.any(Number), ...row }]);
  await db.work(async (w) => {
    const one = await w.single(from(Case));
    // Nothing was changed by reading it.
    await w.flush();
    expect(seen).toEqual([]);
    one.numbers = [6n];
    one.times.push(new Date(9));
    (one.files[0] as Uint8Array)[0] = 1;
    one.part.big = 8n;
  });
  expect(seen).toHaveLength(1);
  expect(seen[0]?.old).toEqual({ id: expect.any(Number), ...row });
  expect(seen[0]?.columns.toSorted()).toEqual(["files", "numbers", "part", "times"]);
  const changed = {
    ...row,
    numbers: [6n],
    times: [...row.times, new Date(9)],
    files: [Uint8Array.of(1, 255), new Uint8Array()],
    part: { ...row.part, big: 8n },
  };
  expect(await db.list(from(Case))).toEqual([{ id: expect.any(Number), ...changed }]);
  await db.work(async (w) => w.remove(await w.single(from(Case))));
  expect(seen[1]).toMatchObject({ kind: "delete", fresh: null });
  expect(seen[1]?.old).toEqual({ id: expect.any(Number), ...changed });
});

eachEngine(all, "hooks that answer later are awaited, and their errors end the unit of work", async (_, engine) => {
  await createTables(engine.connect(), desk);
  expectTypeOf<NonNullable<Hooks["beforeWrite"]>>().returns.toExtend<unknown>();
  const order: string[] = [];
  const hooks: Hooks = {
    beforeWrite: async ({ entity: name, kind, has, given }) => {
      await pause();
      order.push(`before ${kind} ${name}`);
      return has("by") ? { by: String(given("user")) } : undefined;
    },
    afterWrite: async ({ entity: name, kind }) => {
      await pause();
      order.push(`after ${kind} ${name}`);
    },
  };
  const db = engine.connect({ hooks }).as({ user: "Ada" });
  const id = await db.work(async (w) => {
    const one = w.add(Case, { ...row, notes: [{ words: "a" }] });
    await w.flush();
    order.push("flushed");
    return one.id;
  });
  expect(order).toEqual(["before insert Case", "before insert Note", "after insert Case", "after insert Note", "flushed"]);
  expect((await db.single(from(Case).byKey(id))).by).toBe("Ada");
  for (const failing of [
    { beforeWrite: async () => Promise.reject(new Error("refused")) },
    { afterWrite: async () => Promise.reject(new Error("refused")) },
  ] as Hooks[]) {
    const refusing = engine.connect({ hooks: failing });
    await expect(refusing.work(async (w) => void w.add(Note, { caseId: id, words: "lost" }))).rejects.toThrow("refused");
  }
  expect(await db.list(from(Note).select((n) => n.words))).toEqual(["a"]);
  await db.delete(from(Note), { all: true });
  await db.delete(from(Case), { all: true });
});
