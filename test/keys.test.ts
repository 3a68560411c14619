import { expect } from "vitest";
import {
  type AnyDatabase,
  bigint,
  type Column,
  character,
  choice,
  createTables,
  date,
  entity,
  from,
  identity,
  integer,
  isoTimestamp,
  localTimestamp,
  model,
  numeric,
  type Strategy,
  text,
  time,
  timestamp,
  toMany,
  toOne,
  uuid,
  varchar,
} from "../src/index.js";
import { Code, coded } from "./support/coded.js";
import { eachEngine, useEngines } from "./support/engines.js";

// Which rows belong together is asked of the database; each way of loading, and a unit of work, is compared with that.
const { all } = useEngines(true);
const strategies: readonly Strategy[] = ["batch", "join", "nest", "auto"];

/** Texts that look like numbers, words of languages, each other: told apart by what the column's comparison tells apart, and by nothing else. */
const texts = [
  ...[
    "1",
    "01",
    "+1",
    "-1",
    " 1",
    "1 ",
    "1.0",
    "1.",
    "1e0",
    "1e3",
    "1000",
    "007",
    "7",
    "0",
    "-0",
    "00",
    "0x1",
    "１",
    "123456789012345678901",
    "123456789012345678902",
  ],
  ...["null", "NULL", "true", "TRUE", "t", "NaN", "undefined", "__proto__", "[1]", "{}", '"1"', "'1'", "2026-05-01", "", " "],
  ...["ab", "AB", "Ab", "a\u200bb", "é", "e\u0301", "É", "E", "ß", "ss", "ﬁ", "fi", "a\tb", "a,b", "2:ab", "1:a1:b"],
];
const ids = ["0f8fad5b-d9cb-469f-a165-70867728950e", "7c9e6679-7425-40de-944b-e07fc1f90ae7"];
const dated = integer.as({
  decode: (value: number) => ({ day: new Date(value * 86_400_000) }),
  encode: ({ day }: { day: Date }) => day.getTime() / 86_400_000,
});

interface Case {
  readonly what: string;
  readonly column: Column;
  readonly parents: readonly unknown[];
  /** Further ways in which code may write the same keys, and keys that lead nowhere. */
  readonly children: readonly unknown[];
  /** The type that somebody else has given the column, where it is none of the model's. */
  readonly declared?: string;
}
// biome-ignore lint/suspicious/noExplicitAny: cases of columns of every kind
type Any = any;
const declaredTexts: Readonly<Record<string, readonly string[]>> = {
  sqlite: ["text", "varchar(40)", "", "blob", "text collate nocase", "text collate rtrim", "clob"],
  postgres: ["text", "varchar(40)", 'text collate "C"', "char(40)"],
  mariadb: [
    ...[
      "varchar(60) collate utf8mb4_nopad_bin",
      "varchar(60) collate utf8mb4_bin",
      "varchar(60) collate utf8mb4_unicode_ci",
      "varchar(60) collate utf8mb4_general_ci",
    ],
    ...["varchar(60) collate uca1400_nopad_ai_ci", "char(60) collate utf8mb4_bin"],
  ],
};
const days = ["2026-05-01", "0001-01-01", "9999-12-31"];
const byKind: readonly Case[] = [
  { what: "integer", column: integer as Any, parents: [1, 0, -1, 2_147_483_647], children: [-0, 5] },
  { what: "bigint", column: bigint as Any, parents: [1n, 0n, 2n ** 62n, 2n ** 62n + 1n, -(2n ** 63n)], children: [7n] },
  { what: "numeric", column: numeric(10, 2) as Any, parents: ["1.50", "0.00", "-1.00"], children: ["1.5", "01.50", "+1.5", "-0", "0", "-1", 7n] },
  { what: "varchar", column: varchar(60) as Any, parents: texts, children: [] },
  { what: "choice", column: choice("1", "01", "null", "A", "a") as Any, parents: ["1", "01", "null", "A", "a"], children: [] },
  { what: "date", column: date as Any, parents: days, children: ["2026-05-02"] },
  { what: "time", column: time as Any, parents: ["08:30:00", "00:00:00", "23:59:59.123456"], children: ["08:30", "08:30:00.000", "00:00"] },
  {
    what: "timestamp",
    column: timestamp as Any,
    parents: [new Date(0), new Date("2026-05-01T08:30:00.123Z")],
    children: ["1970-01-01T00:00:00Z", "2026-05-01T10:30:00.123+02:00", new Date(1)],
  },
  {
    what: "isoTimestamp",
    column: isoTimestamp as Any,
    parents: ["2026-05-01T08:30:00Z", "2026-05-01T08:30:00.000001Z"],
    children: ["2026-05-01T10:30:00+02:00", "2026-05-01T08:30:00.000000Z"],
  },
  {
    what: "localTimestamp",
    column: localTimestamp as Any,
    parents: ["2026-05-01T08:30:00", "2026-05-01T08:30:00.5"],
    children: ["2026-05-01 08:30", "2026-05-01T08:30:00.500"],
  },
  { what: "uuid", column: uuid as Any, parents: ids, children: ids.map((id) => id.toUpperCase()) },
  { what: "a class", column: coded as Any, parents: ["a", "b", "1", "01"].map((value) => new Code(value)), children: [new Code("c")] },
  { what: "an object", column: dated as Any, parents: [1, 2, 3].map((day) => ({ day: new Date(day * 86_400_000) })), children: [{ day: new Date(0) }] },
];
const casesOf = (engine: string): readonly Case[] => {
  const named = engine.includes("sqlite") ? "sqlite" : engine === "pglite" ? "postgres" : engine;
  return [
    ...byKind,
    ...(declaredTexts[named] ?? []).map(
      (declared): Case => ({
        what: `text as ${declared}`,
        declared,
        column: (declared.startsWith("char") ? character(60) : text) as Any,
        parents: texts,
        children: [],
      }),
    ),
  ];
};

/** What a unit of work knows of rows: no row is two objects, and each has the relations that its type says. */
async function livesOf(db: AnyDatabase, shelves: Any, { parents, children }: Case, pairs: readonly (readonly unknown[])[]): Promise<void> {
  const markOf = new Map(pairs.map(([box, mark]) => [Number(box), String(mark)]));
  const { Shelf, Box } = shelves;
  await (db as Any).work(async (w: Any) => {
    const known = new Map<string, object>();
    const sees = (shelf: Any) => {
      const before = known.get(shelf.mark) ?? shelf;
      known.set(shelf.mark, before);
      expect(before === shelf, `two objects of row ${shelf.mark}`).toBe(true);
    };
    for (const key of [...parents, ...children]) {
      const found = await w.byKey(Shelf, key).catch(() => undefined);
      if (found !== undefined) sees(found);
    }
    for (const box of await w.list(from(Box).reach({ shelf: true } as Any))) {
      expect((await box.shelf)?.mark, `box ${box.id}`).toBe(markOf.get(box.id));
      if ((await box.shelf) !== null) sees(await box.shelf);
    }
    for (const shelf of await w.list(from(Shelf).reach({ boxes: true } as Any))) {
      sees(shelf);
      const own = (await shelf.boxes).map(({ id }: Any) => id).toSorted((a: number, b: number) => a - b);
      expect(own, shelf.mark).toEqual(pairs.filter(([, mark]) => mark === shelf.mark).map(([box]) => Number(box)));
    }
  });
  // Read when it is asked for, what was written is of the row that was meant.
  await (db as Any).work(async (w: Any) => {
    for (const box of await w.list(from(Box))) {
      const shelf = await box.shelf;
      expect(shelf?.mark, `box ${box.id}`).toBe(markOf.get(box.id));
      if (shelf !== null) shelf.note = `seen ${shelf.mark}`;
    }
  });
  for (const { mark, note } of (await db.list(from(Shelf) as Any)) as Any[])
    expect(note, mark).toBe(pairs.some(([, own]) => own === mark) ? `seen ${mark}` : "");
}

eachEngine(all, "keys are told apart by what their column's comparison tells apart, by every way of loading", async (db, engine) => {
  for (const [at, one] of casesOf(engine.name).entries()) {
    const { what, column, declared, parents, children } = one;
    const shelves: Any = model({
      Shelf: entity(`ky_shelf_${at}`, { code: (column as Any).key, mark: text, note: text }, {
        boxes: toMany("Box", { by: "code", constraint: false } as Any),
      } as Any),
      Box: entity(`ky_box_${at}`, { id: identity, code: column }, { shelf: toOne("Shelf", { by: "code", constraint: false, missing: "null" } as Any) } as Any),
    } as Any);
    if (declared !== undefined) {
      await engine.execute(`create table ky_shelf_${at} (code ${declared} not null primary key, mark varchar(20) not null, note varchar(80) not null)`);
      const counted =
        engine.name === "mariadb"
          ? "id integer auto_increment primary key"
          : engine.name.includes("sqlite")
            ? "id integer primary key"
            : "id integer generated by default as identity primary key";
      await engine.execute(`create table ky_box_${at} (${counted}, code ${declared})`);
    }
    await createTables(db, shelves);
    const { Shelf, Box } = shelves;
    for (const [i, code] of parents.entries())
      await db
        .insert(Shelf, [{ code, mark: `m${i}`, note: "" }] as Any)
        .catch((error) => expect(error, `${what} ${String(code)}`).toMatchObject({ code: "UNIQUE_VIOLATED" }));
    await db.insert(Box, [...parents, ...children].map((code) => ({ code })) as Any);
    const pairs = await engine.rows(`select b.id, s.mark from ky_box_${at} b join ky_shelf_${at} s on s.code = b.code order by b.id`);
    expect(pairs.length, what).toBeGreaterThanOrEqual(parents.length);
    for (const how of strategies) {
      const boxes = (await db.list(
        (from(Box) as Any)
          .reach({ shelf: true })
          .orderBy((b: Any) => b.id.asc)
          .how(how),
      )) as Any[];
      expect(
        boxes.flatMap(({ id, shelf }) => (shelf === null ? [] : [[id, shelf.mark]])),
        `${what} by ${how}`,
      ).toEqual(pairs.map(([id, mark]) => [Number(id), mark]));
      const owners = (await db.list((from(Shelf) as Any).reach({ boxes: (b: Any) => b.orderBy((x: Any) => x.id.asc) }).how(how))) as Any[];
      for (const { mark, boxes: own } of owners)
        expect(
          own.map(({ id }: Any) => id),
          `${what} by ${how}: ${mark}`,
        ).toEqual(pairs.filter(([, other]) => other === mark).map(([id]) => Number(id)));
    }
    await livesOf(db, shelves, one, pairs).catch((error: Error) => {
      error.message = `${what}: ${error.message}`;
      throw error;
    });
  }
});
