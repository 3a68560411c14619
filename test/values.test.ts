import fc from "fast-check";
import { beforeAll, describe, expect, test } from "vitest";
import { factsKey } from "../src/columns/index.js";
import {
  bigint,
  boolean,
  bytes,
  type Column,
  choice,
  createTables,
  type Database,
  date,
  double,
  entity,
  from,
  identity,
  integer,
  isoTimestamp,
  json,
  list,
  model,
  numeric,
  text,
  time,
  timestamp,
  toMany,
  uuid,
  varchar,
} from "../src/index.js";
import { useEngines } from "./support/engines.js";

// biome-ignore lint/suspicious/noExplicitAny: columns and rows of every kind go through one test
type Untyped = any;
type AnyColumn = Column<Untyped, Untyped, Untyped>;

/** A kind of column, values at its edges, random ones, and values that it refuses. */
interface Case {
  readonly column: AnyColumn;
  readonly values: readonly unknown[];
  readonly random: fc.Arbitrary<unknown>;
  readonly unfit: readonly unknown[];
  /** What comes back, where it is not what went in. */
  readonly back?: (value: unknown) => unknown;
}

const megabyte = "x".repeat(1_000_000);
const controls = Array.from({ length: 31 }, (_, i) => String.fromCharCode(i + 1)).join("");
const texts = ["", " ", "a ", "A", "a", "'\"`\\;--", "%_", '{"a":1}', "👩‍🔧 é e\u0301 ש", "\uffff", controls, "null", "\\x00"];
const storable = fc.string({ unit: "binary" }).filter((value) => !value.includes("\0"));
const day = fc.date({ min: new Date("0001-01-01"), max: new Date("9999-12-31T23:59:59.999Z"), noInvalidDate: true });
const isoDay = day.map((value) => value.toISOString().slice(0, 10));
const fraction = fc.nat({ max: 999_999 }).map((value) => String(value).padStart(6, "0"));
const digits = (most: number) => fc.stringMatching(new RegExp(`^[0-9]{0,${most}}$`));
const shortTime = (value: unknown) =>
  (value as string)
    .replace(/^(\d\d:\d\d)$/, "$1:00")
    .replace(/(\.\d*?)0+$/, "$1")
    .replace(/\.$/, "");
const scaled = (value: unknown): string => {
  const [, sign, whole, rest = ""] = /^(-?)0*(\d*)\.?(\d*)$/.exec(value as string) as unknown as string[];
  const number = `${whole === "" ? "0" : whole}.${rest.padEnd(10, "0")}`;
  return /[1-9]/.test(number) ? sign + number : number;
};
const deep = { a: [1, 2.5, -0.001, "é", null, true], "": {}, b: { c: [] } };

const cases: Readonly<Record<string, Case>> = {
  integer: {
    column: integer,
    values: [0, 1, -1, 2_147_483_647, -2_147_483_648],
    random: fc.integer(),
    unfit: [1.5, 2 ** 31, "1", Number.NaN, 1n],
  },
  bigint: {
    column: bigint,
    values: [0n, 2n ** 53n + 1n, 2n ** 63n - 1n, -(2n ** 63n), -1n],
    random: fc.bigInt({ min: -(2n ** 63n), max: 2n ** 63n - 1n }),
    unfit: [2n ** 63n, 1, "1"],
  },
  double: {
    column: double,
    values: [0, 0.1, -1.5, 1e308, 5e-324, Number.MAX_SAFE_INTEGER, 1 / 3, 1e21],
    random: fc.double({ noNaN: true, noDefaultInfinity: true }).map((value) => value + 0),
    unfit: [Number.NaN, Number.POSITIVE_INFINITY, "1"],
  },
  numeric: {
    column: numeric(50, 10),
    values: ["0", "1.5", "-1.50", "0.0000000001", `${"9".repeat(40)}.${"9".repeat(10)}`, `-${"1".repeat(40)}`, "007", ".5", "-0"],
    random: fc.tuple(fc.constantFrom("", "-"), digits(40), digits(10)).map(([sign, whole, rest]) => `${sign}${whole === "" ? "0" : whole}.${rest}`),
    unfit: ["1e5", "1.00000000001", "1".repeat(41), "", ".", 1.5, "abc"],
    back: scaled,
  },
  text: { column: text, values: [...texts, megabyte], random: storable, unfit: ["a\0b", "\ud800", 1] },
  varchar: {
    column: varchar(3),
    values: ["", "abc", "👩👩👩", "a  "],
    random: fc.array(fc.constantFrom("a", "é", "👩"), { maxLength: 3 }).map((parts) => parts.join("")),
    unfit: ["abcd", 1],
  },
  choice: {
    column: choice("new", "it's used", "back\\slash"),
    values: ["new", "it's used", "back\\slash"],
    random: fc.constantFrom("new", "it's used"),
    unfit: ["old", "", "NEW"],
  },
  boolean: { column: boolean, values: [true, false], random: fc.boolean(), unfit: [0, 1, "true"] },
  date: {
    column: date,
    values: ["2024-02-29", "0001-01-01", "9999-12-31", "1582-10-10", "1970-01-01"],
    random: isoDay,
    unfit: ["2023-02-29", "0000-01-01", "2026-1-1", new Date(), "2026-01-01T00:00:00Z"],
  },
  time: {
    column: time,
    values: ["00:00:00", "23:59:59.999999", "08:30", "12:00:00.5", "12:00:00.000001", "12:00:00.120"],
    random: fc
      .tuple(fc.nat(23), fc.nat(59), fc.nat(59), fraction)
      .map(([h, m, s, f]) => `${[h, m, s].map((part) => String(part).padStart(2, "0")).join(":")}.${f}`),
    unfit: ["24:00:00", "8:30", "08:30:00.1234567"],
    back: shortTime,
  },
  timestamp: {
    column: timestamp,
    values: ["1970-01-01T00:00:00.000Z", "0001-01-01T00:00:00.000Z", "9999-12-31T23:59:59.999Z", "2024-02-29T12:00:00.123Z", "1890-06-01T00:00:00.000Z"].map(
      (value) => new Date(value),
    ),
    random: day,
    unfit: [new Date(Number.NaN), 0, "yesterday", "2026-01-01"],
  },
  isoTimestamp: {
    column: isoTimestamp,
    values: ["2026-05-01T08:30:00.123456Z", "0001-01-01T00:00:00.000001Z", "9999-12-31T23:59:59.999999Z", "2026-05-01T08:30:00+02:00", "2026-05-01T08:30Z"],
    random: fc.tuple(day, fraction).map(([value, f]) => `${value.toISOString().slice(0, 19)}.${f}Z`),
    unfit: ["2026-05-01T08:30:00", "2026-05-01T08:30:00.1234567Z", "0001-01-01T00:00:00+02:00"],
    back: (value) =>
      ({
        "2026-05-01T08:30:00+02:00": "2026-05-01T06:30:00.000000Z",
        "2026-05-01T08:30Z": "2026-05-01T08:30:00.000000Z",
      })[value as string] ?? value,
  },
  uuid: {
    column: uuid,
    values: ["00000000-0000-0000-0000-000000000000", "ffffffff-ffff-ffff-ffff-ffffffffffff", "0189C3A0-1234-7000-8000-00000000000A"],
    random: fc.uuid(),
    unfit: ["x", "0189c3a0123470008000000000000000"],
    back: (value) => (value as string).toLowerCase(),
  },
  json: {
    column: json(),
    values: [{}, [], "", "text", 0, -1.5, true, false, deep, texts, { 'a"b': "\u0001" }],
    random: fc.jsonValue({ stringUnit: "grapheme" }).filter((value) => value !== null && !JSON.stringify(value).includes("\\u0000")),
    unfit: [() => 1, 1n, "a\0"],
    back: (value) => JSON.parse(JSON.stringify(value)),
  },
  bytes: {
    column: bytes,
    // A buffer that somebody has looked at is another one to the engine's package.
    values: [
      new Uint8Array(0),
      new Uint8Array(new ArrayBuffer(0)),
      Uint8Array.of(0),
      Uint8Array.from({ length: 256 }, (_, i) => i),
      new Uint8Array(5_000_000).fill(7),
    ],
    random: fc.uint8Array({ maxLength: 100 }),
    unfit: ["x", [1, 2]],
  },
  "list of text": {
    column: list(text),
    values: [[], [""], texts, ["a,b", "{}", "NULL", "null"]],
    random: fc.array(storable),
    unfit: ["x", [1], [null], ["a\0"]],
  },
  "list of bigint": {
    column: list(bigint),
    values: [[], [2n ** 53n + 1n, -1n]],
    random: fc.array(fc.bigInt({ min: -(2n ** 63n), max: 2n ** 63n - 1n })),
    unfit: [[1], [2n ** 63n]],
  },
  "list of instants": {
    column: list(timestamp),
    values: [[new Date("2026-05-01T08:30:00.500Z")]],
    random: fc.array(day),
    unfit: [["x"]],
  },
  "a user's own": {
    column: integer.as({
      decode: (cents) => ({ euros: cents / 100 }),
      encode: (price: { euros: number }) => Math.round(price.euros * 100),
    }),
    values: [{ euros: 12.5 }, { euros: -0.01 }, { euros: 0 }],
    random: fc.integer({ min: -1e6, max: 1e6 }).map((cents) => ({ euros: cents / 100 })),
    unfit: [{ euros: 1e9 }, "12.50"],
  },
};

const kinds = Object.entries(cases).map(([name, given]) => ({ name, ...given }));
const entities = Object.fromEntries(
  kinds.map(({ name, column }) => [
    name,
    entity(
      `kept "${name}" \`é\``,
      { id: identity, value: column.nullable.named('the "value" `é`'), place: integer },
      { itself: toMany(name, { by: "id", constraint: false }) },
    ),
  ]),
);
const kept = model(entities) as Untyped;
const { all } = useEngines(true);
const databases: { readonly name: string; readonly db: Database }[] = [];

beforeAll(async () => {
  for (const engine of all()) {
    const db = engine.connect();
    await createTables(db, kept);
    databases.push({ name: engine.name, db });
  }
});

/** Bytes are compared by their digits: comparing millions one by one takes a minute. */
const told = (value: unknown): unknown => (value instanceof Uint8Array ? [value.constructor.name, Buffer.from(value).toString("base64")] : value);

const rows = (values: readonly unknown[]) => values.map((value, place) => ({ value, place }));
const valuesAt = (entityOf: (typeof kept)[string], db: Database, after: number) =>
  db.list(
    from(entityOf)
      .where((row: Untyped) => row.id.above(after))
      .orderBy((row: Untyped) => row.id.asc)
      .select((row: Untyped) => row.value),
  ) as Promise<unknown[]>;
/** The same, each value inside of its row as JSON that the database made. */
const nestedAt = async (entityOf: (typeof kept)[string], db: Database, after: number, limit?: number) => {
  const query = from(entityOf).where((row: Untyped) => row.id.above(after));
  const rows = await db.list(query.how("nest").reach({ itself: (row: Untyped) => (limit === undefined ? row : row.limit(limit)) }));
  return rows.map((row: Untyped) => row.itself[0].value);
};

describe.each(kinds)("$name", ({ name, column, values, random, unfit, back = (value: unknown) => value }) => {
  let last = 0;
  const roundTrip = async (given: readonly unknown[]) => {
    for (const { name: engine, db } of databases) {
      await db.insert(kept[name], rows(given) as Untyped);
      const expected = given.map((value) => (value === null ? null : told(back(value))));
      expect((await valuesAt(kept[name], db, last)).map(told), engine).toStrictEqual(expected);
      for (const limit of [undefined, 2]) expect((await nestedAt(kept[name], db, last, limit)).map(told), `nested, ${engine}`).toStrictEqual(expected);
    }
    last += given.length;
  };

  test("values at the edges come back as they went in", () => roundTrip([...values, null]));

  test(
    "random values come back as they went in",
    () =>
      fc.assert(
        fc.asyncProperty(fc.array(random, { minLength: 1, maxLength: 20 }), (given) => roundTrip(given)),
        { numRuns: 8, endOnFailure: true, includeErrorInReport: true },
      ),
    60_000,
  );

  test("a value that the column does not hold is refused before it is sent", async () => {
    for (const value of unfit)
      for (const { db } of databases)
        await expect(db.insert(kept[name], [{ value, place: 0 }] as never)).rejects.toMatchObject({
          code: "VALUE_UNFIT",
          names: { column: `${name}.value` },
        });
  });

  const isCompared = !["json", "list"].includes(column[factsKey].type.kind);
  if (!isCompared) return;

  test("a value is found by itself, alone and in a list", async () => {
    const few = values.filter((value) => value !== megabyte && !(value instanceof Uint8Array && value.length > 1e6));
    for (const { name: engine, db } of databases) {
      for (const value of few) {
        const found = (await db.list(
          from(kept[name])
            .where((row: Untyped) => row.value.is(value))
            .limit(3)
            .select((row: Untyped) => row.value),
        )) as unknown[];
        expect(found.length, `${engine} ${String(value)}`).toBeGreaterThan(0);
        for (const other of found) expect(other, engine).toStrictEqual(back(value));
      }
      if (column[factsKey].type.kind === "bytes") continue;
      const listed = await db.list(
        from(kept[name])
          .where((row: Untyped) => row.value.oneOf(few))
          .limit(few.length)
          .orderBy((row: Untyped) => row.id.asc)
          .select((row: Untyped) => row.id),
      );
      expect(listed.length, engine).toBe(few.length);
    }
  });
});

test("every kind sorts alike on every engine", async () => {
  for (const { name, column } of kinds) {
    if (["json", "bytes", "list"].includes(column[factsKey].type.kind)) continue;
    const orders = await Promise.all(
      databases.map(({ db }) =>
        db.list(
          from(kept[name])
            .orderBy((row: Untyped) => [row.value.asc, row.id.asc])
            .select((row: Untyped) => row.id),
        ),
      ),
    );
    for (const [i, order] of orders.entries()) expect(order, `${name} on ${databases[i]?.name}`).toStrictEqual(orders[0]);
  }
});
