import fc from "fast-check";
import { expect } from "vitest";
import {
  bigint,
  boolean,
  bytes,
  choice,
  createTables,
  date,
  double,
  entity,
  from,
  integer,
  json,
  list,
  localTimestamp,
  model,
  numeric,
  text,
  time,
  timestamp,
  uuid,
  value,
  varchar,
} from "../src/index.js";
import { eachEngine, useEngines } from "./support/engines.js";

const { all } = useEngines(true);
const columns = {
  i: integer.nullable,
  b: bigint.nullable,
  d: double.nullable,
  n: numeric(12, 3).nullable,
  t: text.nullable,
  v: varchar(20).nullable,
  c: choice("new", "used").nullable,
  o: boolean.nullable,
  a: date.nullable,
  m: time.nullable,
  s: timestamp.nullable,
  l: localTimestamp.nullable,
  u: uuid.nullable,
  j: json<unknown>().nullable,
  y: bytes.nullable,
  x: list(integer).nullable,
  p: value({ q: text, r: integer.nullable }).nullable,
};
const { Numbered, Named } = model({
  Numbered: entity("kw_numbered", { id: integer.key, ...columns }),
  Named: entity("kw_named", { code: varchar(8).key, part: integer.key, ...columns }),
});

/** Values of each column, of which no two are alike to any engine. */
const values: Readonly<Record<string, readonly unknown[]>> = {
  i: [0, -2147483648, 7],
  b: [0n, 9223372036854775807n],
  d: [0, -1.5e300, 0.1],
  n: ["0.000", "-123456789.125"],
  t: ["", "it's \"\\%_; --", "ünï\n😀"],
  v: ["short", " blank "],
  c: ["new", "used"],
  o: [true, false],
  a: ["0001-01-01", "9999-12-31"],
  m: ["00:00:00", "23:59:59.999999"],
  s: [new Date(0), new Date(1_700_000_000_123)],
  l: ["2026-05-01T08:30:00"],
  u: ["123e4567-e89b-12d3-a456-426614174000"],
  j: [{ a: [1, "x", null] }, "text", 3, false],
  y: [new Uint8Array(), new Uint8Array([0, 255, 39, 92])],
  x: [[], [1, -2]],
  p: [
    { q: "", r: null },
    { q: "x", r: 5 },
  ],
};
const names = Object.keys(values);
const change = fc.uniqueArray(fc.constantFrom(...names), { minLength: 1, maxLength: 5 });
const changes = fc.tuple(fc.constantFrom(1, 2, 3, 11, 26, 140), change, fc.boolean(), fc.nat(1000), fc.boolean());

// biome-ignore lint/suspicious/noExplicitAny: the test chooses columns by chance
type Any = any;

eachEngine(all, "rows that are named by their keys get values of every kind, however many they are", async (db) => {
  await createTables(db, { Numbered, Named });
  const empty = Object.fromEntries(names.map((name) => [name, null]));
  await fc.assert(
    fc.asyncProperty(changes, async ([count, changed, isAlike, salt, isByWork]) => {
      for (const of of [Numbered, Named] as Any[]) {
        await db.delete(from(of) as Any, { all: true });
        const keyOf = (i: number) => (of === Numbered ? { id: i } : { code: `k${i % 3}`, part: i });
        const rows = Array.from({ length: count }, (_, i) => ({ ...keyOf(i), ...empty }));
        await db.insert(of, rows as Any);
        const given = rows.map((_, i) =>
          Object.fromEntries(
            changed.map((name, k) => {
              const some = [null, ...(values[name] as unknown[])];
              return [name, some[((isAlike ? 0 : i * 7) + salt + k) % some.length]];
            }),
          ),
        );
        if (isByWork)
          await db.work(async (w) => {
            const lives = (await w.list(from(of) as Any)) as unknown as Any[];
            for (const live of lives) Object.assign(live, given[of === Numbered ? live.id : live.part]);
          });
        else expect(await db.updateRows(of, given.map((row, i) => ({ ...keyOf(i), ...row })) as Any)).toBe(count);
        const found = (await db.list(from(of) as Any)) as Any[];
        const expected = rows.map((row, i) => ({ ...row, ...given[i] }));
        expect(found.toSorted((a, b) => (a.id ?? a.part) - (b.id ?? b.part))).toEqual(expected);
      }
    }),
    { numRuns: Number(process.env.GEMACH_KEYED ?? 12), includeErrorInReport: true },
  );
});
