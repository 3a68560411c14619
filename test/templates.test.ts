import fc from "fast-check";
import { expect, test } from "vitest";
import { dialects } from "../src/drivers/dialects.js";
import { and, bigint, boolean, date, from, integer, list, numeric, preview, template, text, withLedger } from "../src/index.js";
import { generate, lending } from "../tools/src/demo/index.js";
import { eachEngine, useSociety } from "./support/engines.js";

const { Item, Loan, Member, Repair, Reservation } = lending;
const society = generate(4, 9, { items: 5, members: 5, loans: 12 });
const all = useSociety(society);

const loansOf = template({ by: integer, since: date, items: list(integer), name: text }, (p) =>
  from(Loan)
    .where((l) => and(l.memberId.atLeast(p.by), l.due.above(p.since), l.itemId.notOneOf(p.items), l.borrower.name.isNot(p.name)))
    .reach({ item: true, borrower: (m) => m.reach({ skills: true }) }),
);

eachEngine(all, "a template gives what its query would, whatever it is run with", async (db) => {
  const given = fc.record({
    by: fc.integer({ min: 1, max: 20 }),
    since: fc.constantFrom("2026-01-15", "2026-06-01", "9999-12-31"),
    items: fc.array(fc.integer({ min: 1, max: 20 }), { maxLength: 8 }),
    name: fc.constantFrom(...society.Member.map((m) => m.name), "nobody", "' or 1 = 1 --"),
  });
  await fc.assert(
    fc.asyncProperty(given, async (values) => {
      const { by, since, items, name } = values;
      const plain = from(Loan)
        .where((l) => and(l.memberId.atLeast(by), l.due.above(since), l.itemId.notOneOf(items), l.borrower.name.isNot(name)))
        .reach({ item: true, borrower: (m) => m.reach({ skills: true }) });
      const query = loansOf.with(values);
      expect(await db.list(query)).toStrictEqual(await db.list(plain));
      expect(await db.count(query)).toBe(await db.count(plain));
    }),
    { numRuns: 15 },
  );
});

eachEngine(all, "values of every kind go into expressions, writes, pages and portions", async (db) => {
  const costs = template({ more: numeric(8, 2), text: text, wide: bigint, open: boolean }, (p) =>
    from(Repair)
      .where((r) => and(r.cost.plus(p.more).above("20"), r.findings.is(null).is(p.open)))
      .select((r) => ({ id: r.id, label: r.item.name.concat(p.text), wide: r.id.asBigint().plus(p.wide) })),
  );
  const byKey = template({ id: integer }, (p) => from(Item).where((i) => i.id.is(p.id)));
  const query = costs.with({ more: "0.10", text: "?", wide: 2n ** 40n, open: true });
  const rows = society.Repair.filter((r) => Number(r.cost) + 0.1 > 20 && r.findings === null);
  const wanted = rows.map((r) => ({ id: r.id, label: `${society.Item.find((i) => i.id === r.itemId)?.name}?`, wide: BigInt(r.id as number) + 2n ** 40n }));
  expect(await db.list(query)).toStrictEqual(wanted);
  expect((await db.page(query, { size: 100 })).rows).toStrictEqual(wanted);
  expect(await db.single(byKey.with({ id: 3 }))).toStrictEqual(society.Item[2]);
  expect(await db.exists(byKey.with({ id: -1 }))).toBe(false);
});

test("its text is the same for all values, and shows its parameters", async () => {
  for (const dialect of Object.values(dialects)) {
    const [one, other] = [[1], [1, 2, 3]].map((items) => preview(loansOf.with({ by: 1, since: "2026-01-01", items, name: "x" }), { dialect })[0]);
    expect(one?.text).toBe(other?.text);
    expect(one?.parameters).toEqual([1, "2026-01-01", [1], "x"]);
  }
  const db = all()[0]?.connect();
  if (db === undefined) return;
  const ledger = await withLedger(db, "templates", async () => {
    for (const id of [1, 2, 3]) await db.list(from(Reservation).where((r) => r.itemId.is(id)));
  });
  expect(new Set(ledger.statements.map((statement) => statement.text)).size).toBe(1);
});

test("values that do not fit are refused", () => {
  const right = { by: 1, since: "2026-01-01", items: [1], name: "x" };
  const wrong: [object, string][] = [
    [{ ...right, by: "1" }, "VALUE_UNFIT"],
    [{ ...right, since: "2026-02-30" }, "VALUE_UNFIT"],
    [{ ...right, items: 1 }, "VALUE_UNFIT"],
    [{ ...right, items: [null] }, "VALUE_UNFIT"],
    [{ ...right, name: null }, "VALUE_UNFIT"],
    [{ ...right, name: undefined }, "VALUE_MISSING"],
    [{ ...right, nam: "x" }, "NAME_UNKNOWN"],
  ];
  for (const [values, code] of wrong) expect(() => loansOf.with(values as typeof right)).toThrow(expect.objectContaining({ code }));
  // @ts-expect-error a parameter of another kind
  const unlike = () => template({ id: text }, (p) => from(Member).where((m) => m.id.is(p.id)));
  expect(unlike).toThrow(expect.objectContaining({ code: "VALUE_UNFIT" }));
  // @ts-expect-error a list of another kind
  const unlikeList = () => template({ ids: list(text) }, (p) => from(Member).where((m) => m.id.oneOf(p.ids)));
  expect(unlikeList).toThrow(expect.objectContaining({ code: "VALUE_UNFIT" }));
});
