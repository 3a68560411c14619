import fc from "fast-check";
import { expect, test } from "vitest";
import { dialects } from "../src/drivers/dialects.js";
import {
  and,
  coalesce,
  createTables,
  createTablesSql,
  date,
  entity,
  from,
  identity,
  integer,
  isoTimestamp,
  model,
  type NewRowOf,
  not,
  now,
  numeric,
  or,
  sql,
  text,
  timestamp,
  today,
  value,
  varchar,
  when,
} from "../src/index.js";
import { eachEngine, useEngines } from "./support/engines.js";

const { all } = useEngines();

const parcels = model({
  Parcel: entity(
    "parcel",
    {
      id: identity,
      name: text.nullable,
      weight: numeric(6, 2),
      pieces: integer.nullable,
      sent: date,
      back: date.nullable,
      to: value({ town: varchar(20), street: text.nullable }).nullable,
      label: text.nullable.computed,
      postage: numeric(12, 4).computed,
      size: text.computed,
    },
    {},
    {
      checks: (p) => ({
        light: or(p.weight.below("30.00"), p.name.contains("!")),
        homewards: p.back.atLeast(p.sent),
        few: not(p.pieces.above(5)),
        not_three: p.pieces.notOneOf([3]),
        not_none: p.name.ignoringCase().isNot("NONE"),
        town: p.to.town.oneOf(["Carrow", "Dunmere"]),
        same_month: or(p.back.is(null), p.back.startOfMonth().is(p.sent.startOfMonth())),
      }),
      computes: (p) => ({
        label: p.name.upper().concat(" / ", p.to.town),
        postage: p.weight.times("0.35").plus("1.2"),
        size: when(p.pieces.above(2), "large").when(p.weight.atLeast("10.00"), "heavy").otherwise("small"),
      }),
    },
  ),
});
const { Parcel } = parcels;

const day = fc.constantFrom("2024-02-29", "2026-05-01", "2026-05-31", "2026-06-01");
const parcel: fc.Arbitrary<NewRowOf<typeof Parcel>> = fc.record({
  name: fc.constantFrom(null, "", "Drill", "drill!", "none", "NoNe", "Æsir", "%_"),
  weight: fc.constantFrom("0.00", "9.99", "10.00", "29.99", "30.00", "-4.50"),
  pieces: fc.constantFrom(null, 0, 2, 3, 5, 6),
  sent: day,
  back: fc.option(day, { nil: null }),
  to: fc.option(fc.record({ town: fc.constantFrom("Carrow", "Dunmere", "carrow"), street: fc.constantFrom(null, "Elm") }), { nil: null }),
});

const broken = (row: unknown): readonly string[] => {
  const result = Parcel.newRowSchema["~standard"].validate(row);
  if (result instanceof Promise) throw new Error("answers at once");
  return (result.issues ?? []).map(({ message }) => message);
};

test("what newRowSchema says of a rule is what every engine does", async () => {
  const rows = fc.sample(parcel, { numRuns: 150, seed: 11 });
  const fine = rows.filter((row) => broken(row).length === 0);
  expect(fine.length).toBeGreaterThan(10);
  const answers: unknown[] = [];
  for (const engine of all()) {
    const db = engine.connect();
    await createTables(db, parcels);
    for (const row of rows) {
      const refused = await db.insert(Parcel, [row]).then(
        () => false,
        (error: { code: string; names: { constraint: string } }) => {
          expect(error.code).toBe("CHECK_VIOLATED");
          const rule = error.names.constraint.replace("parcel_", "");
          expect(broken(row), `${engine.name}: ${JSON.stringify(row)}`).toContain(`breaks the rule '${rule}'`);
          return true;
        },
      );
      expect(refused, `${engine.name}: ${JSON.stringify(row)}`).toBe(broken(row).length > 0);
    }
    const found = await db.list(from(Parcel).orderBy((p) => p.id.asc));
    expect(found).toHaveLength(fine.length);
    for (const { name, weight, pieces, to, label, postage, size } of found) {
      expect(label).toBe(name === null || to === null ? null : `${name.toUpperCase()} / ${to.town}`);
      expect(Number(postage)).toBeCloseTo(Number(weight) * 0.35 + 1.2, 9);
      expect(size).toBe((pieces ?? 0) > 2 ? "large" : Number(weight) >= 10 ? "heavy" : "small");
    }
    answers.push(found.map(({ id: _, ...row }) => row));
  }
  for (const answer of answers) expect(answer).toStrictEqual(answers[0]);
});

test("a part of a row is asked only for the rules that it says enough for", async () => {
  const issues = (row: object) => {
    const result = Parcel.partialRowSchema["~standard"].validate(row);
    return result instanceof Promise ? [] : (result.issues ?? []).map(({ message }) => message);
  };
  expect(issues({ sent: "2026-05-01" })).toEqual([]);
  expect(issues({ sent: "2026-05-02", back: "2026-05-01" })).toEqual(["breaks the rule 'homewards'"]);
  expect(issues({ pieces: 3, name: null })).toEqual(["breaks the rule 'not_three'"]);
  expect(issues({ label: "x" })).toEqual(["is worked out by the database"]);
  // What is wrong with one column keeps no rule of others from being looked at, but those that it has a part in.
  expect(issues({ label: "x", sent: "2026-05-02", back: "2026-05-01" })).toEqual(["is worked out by the database", "breaks the rule 'homewards'"]);
  expect(issues({ sent: 5, back: "2026-05-01" })).toEqual(["takes a day such as '2026-05-01', but got a whole number"]);
});

eachEngine(all, "a computed column is not written", async (_, engine) => {
  // @ts-expect-error the database works it out
  const sent = engine.connect().insert(Parcel, [{ weight: "1.00", sent: "2026-05-01", size: "small" }]);
  await expect(sent).rejects.toMatchObject({ code: "COLUMN_COMPUTED" });
});

test("rules stand in the table as a person would write them", () => {
  const [table = ""] = createTablesSql(parcels, { dialect: dialects.postgres });
  expect(table.split("\n").slice(-8)).toEqual([
    "  constraint parcel_light check (weight < 30.00 or name like '%!%'),",
    "  constraint parcel_homewards check (back >= sent),",
    "  constraint parcel_few check ((pieces > 5) is not true),",
    "  constraint parcel_not_three check (pieces is null or pieces not in (3)),",
    `  constraint parcel_not_none check (lower(name collate "C.utf8") collate "C" is distinct from lower('NONE' collate "C.utf8") collate "C"),`,
    `  constraint parcel_town check ("toTown" in ('Carrow', 'Dunmere')),`,
    "  constraint parcel_same_month check (back is null or cast(date_trunc('month', back) as date) = cast(date_trunc('month', sent) as date))",
    ")",
  ]);
});

const wrong: [string, () => unknown, string][] = [
  [
    "a rule on a column that is not there",
    () => model({ A: entity("a", { id: identity, name: text }, {}, { checks: (a) => ({ named: (a as unknown as { nam: typeof a.name }).nam.is("x") }) }) }),
    "A: checks: A has no 'nam'",
  ],
  [
    "a rule that is no predicate",
    () => model({ A: entity("a", { id: identity, name: text }, {}, { checks: (a) => ({ named: a.name as never }) }) }),
    "A: checks: The function given to checks() must return a predicate",
  ],
  [
    "a default of another kind",
    () => model({ A: entity("a", { id: identity, day: text.defaultsTo(today() as never) }) }),
    "A.day: its default is not a string without NUL",
  ],
  [
    "a rule that another day would answer otherwise",
    () => model({ A: entity("a", { id: identity, day: date }, {}, { checks: (a) => ({ past: a.day.below(today()) }) }) }),
    "The rule 'past' of A needs more than the row's own columns",
  ],
  [
    "a computed column of another kind",
    () => model({ A: entity("a", { id: identity, name: text, size: integer.computed }, {}, { computes: (a) => ({ size: a.name }) }) }),
    "A.size: it is integer, but what it is computed of is text",
  ],
  [
    "a computed column that may be missing",
    () => model({ A: entity("a", { id: identity, name: text.nullable, size: integer.computed }, {}, { computes: (a) => ({ size: a.name.length() }) }) }),
    "A.size: what it is computed of may be missing; make it nullable",
  ],
];

test.each(wrong)("%s is a mistake of the model", (_, make, message) => {
  expect(make).toThrow(expect.objectContaining({ code: "MODEL_INVALID", message: expect.stringContaining(message) }));
});

test.each([
  ["integer.computed", integer.computed, "'computes' does not say of what"],
  ["integer.defaulted", integer.defaulted, "no default is said"],
])("what only a table knows of %s is no part of another", (_, column, message) => {
  const known = model({ A: entity("a", { id: identity, size: column as typeof integer }) });
  const refusal = expect.objectContaining({ code: "DEFINITION_MISSING", message: expect.stringContaining(message) });
  for (const dialect of Object.values(dialects)) expect(() => createTablesSql(known, { dialect })).toThrow(refusal);
});

test("a computed column may be made to have a value", () => {
  const sized = entity("a", { id: identity, name: text.nullable, size: integer.computed }, {}, { computes: (a) => ({ size: coalesce(a.name.length(), 0) }) });
  expect(createTablesSql(model({ A: sized }), { dialect: dialects.sqlite })[0]).toContain(
    "size integer generated always as (coalesce(length(name), 0)) stored",
  );
});

eachEngine(all, "what a row leaves out is made by the database where the table's default is an expression", async (db) => {
  const { Note } = model({
    Note: entity("dated_note", {
      id: identity,
      made: timestamp.defaultsTo(now()),
      seen: isoTimestamp.defaultsTo(now(isoTimestamp)),
      on: date.defaultsTo(today()),
      size: integer.defaultsTo(sql(integer)`3 + 4`),
    }),
  });
  await createTables(db, { Note });
  const before = Date.now();
  await db.insert(Note, [{}, { size: 1 }, { on: "2026-05-01", made: new Date(0) }]);
  const [first, second, third] = await db.list(from(Note));
  expect([first?.size, second?.size, third?.size]).toEqual([7, 1, 7]);
  expect([third?.on, third?.made]).toEqual(["2026-05-01", new Date(0)]);
  // The servers run on this machine, by its clock.
  for (const instant of [first?.made.getTime() ?? 0, Date.parse(first?.seen ?? "")]) {
    expect(instant).toBeGreaterThan(before - 60_000);
    expect(instant).toBeLessThan(Date.now() + 60_000);
  }
  expect(await db.count(from(Note).where((n) => n.made.atMost(now())))).toBe(3);
  expect(
    await db.update(
      from(Note).where((n) => n.id.is(3)),
      { made: now(), on: today() },
    ),
  ).toBe(1);
  const soon = from(Note).where((n) => and(n.made.secondsSince(now()).atLeast(-60), n.on.daysSince(today()).is(0)));
  expect(await db.count(soon.columns("id"))).toBe(3);
  expect(
    await db.list(
      from(Note)
        .limit(1)
        .select(() => ({ day: today() })),
    ),
  ).toEqual([{ day: new Date().toISOString().slice(0, 10) }]);
});
