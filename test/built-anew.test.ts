import fc from "fast-check";
import { expect } from "vitest";
import { and, coalesce, countOver, exists, from, integer, literal, not, or, type Query, rank, sql, template, text, when } from "../src/index.js";
import { undone } from "../src/testing/index.js";
import { generate, lending } from "../tools/src/demo/index.js";
import { eachEngine, useSociety } from "./support/engines.js";
import { seed } from "./support/seed.js";

const { Depot, Item, Loan, Member } = lending;
const all = useSociety(generate(4, 17, { items: 6, members: 5, loans: 15 }));

interface Sliced extends Query<unknown> {
  after(cursor: string): Sliced;
}

// biome-ignore lint/suspicious/noExplicitAny: random queries are put together without types
type Untyped = any;

const upTo = (last: number): readonly number[] => Array.from({ length: last }, (_, i) => 1 + i);

/** Queries that are alike but for one thing, each built for its call: values, columns, order, what is reached, projections. */
const anew = (item: number, member: number) => [
  from(Loan).where((l) => l.itemId.is(item)),
  from(Loan).where((l) => l.itemId.isNot(item)),
  from(Loan).where((l) => l.memberId.is(member)),
  from(Loan)
    .where((l) => l.item.depotId.is(item))
    .orderBy((l) => l.due.asc),
  from(Loan)
    .where((l) => or(l.itemId.is(item), l.memberId.is(member)))
    .orderBy((l) => l.due.desc),
  from(Loan)
    .where((l) => and(l.itemId.is(item), l.memberId.is(member)))
    .reach({ item: true }),
  from(Loan)
    .where((l) => l.itemId.is(item))
    .where((l) => or(l.memberId.is(member), l.returned.is(null)))
    .columns("itemId"),
  from(Loan)
    .where((l) => not(l.itemId.is(item)))
    .select((l) => ({ due: l.due, by: l.memberId })),
  from(Loan)
    .where((l) => not(l.itemId.is(item)))
    .select((l) => ({ due: l.memberId, by: l.due })),
  from(Loan)
    .where((l) => l.itemId.above(item))
    .limit(9),
  from(Loan).where((l) => l.itemId.oneOf(upTo(item))),
  from(Loan).where((l) => l.itemId.notOneOf(upTo(3 * item * member))),
  from(Loan).where((l) => or(l.itemId.oneOf(upTo(20 * item)), l.memberId.is(member))),
  from(Loan).where((l) => l.item.name.oneOf(upTo(item - 1).map((n) => `Drill ${n}`))),
  from(Item).where((i) => i.loans.where((l) => l.memberId.is(member)).exists()),
  from(Item).where((i) => i.loans.where((l) => and(l.memberId.oneOf(upTo(member)), l.returned.is(null))).notExists()),
  from(Item).where((i) => i.loans.where((l) => l.itemId.is(i.id)).exists()),
  from(Loan).where((l) => l.item.name.contains("aeiou"[item - 1] as string)),
  from(Loan).where((l) => not(l.item.name.startsWith("ABCDE"[member - 1] as string))),
  from(Member).where((m) => m.loans.item.repairs.where((r) => r.itemId.atMost(item)).exists()),
  // A condition that stands in two places has one value there, two conditions that look alike have two.
  from(Loan).where((l) => {
    const own = l.itemId.is(item);
    return or(and(own, l.memberId.is(member)), and(own, l.memberId.is(1)));
  }),
  from(Loan).where((l) => or(and(l.itemId.is(item), l.memberId.is(member)), and(l.itemId.is(member), l.memberId.is(item)))),
];

eachEngine(all, "a query that is built for its call has the rows of its own values, whatever was run before", async (db, engine) => {
  const kinds = anew(1, 1).length;
  const value = fc.integer({ min: 1, max: 5 });
  await fc.assert(
    fc.asyncProperty(value, value, fc.nat(kinds - 1), fc.integer({ min: 1, max: 4 }), async (item, member, kind, size) => {
      const build = () => anew(item, member)[kind] as Sliced;
      const whole = await engine.connect().list(build());
      expect(await db.list(build())).toStrictEqual(whole);
      expect(await db.count(build())).toBe(whole.length);
      expect((await db.page(build(), { size, number: 2 })).rows).toStrictEqual(whole.slice(size, 2 * size));
      const first = await db.portion(build(), size);
      const second = first.next === null ? [] : (await db.portion(build().after(first.next), size)).rows;
      expect([...first.rows, ...second]).toStrictEqual(whole.slice(0, 2 * size));
    }),
    { numRuns: 40, seed },
  );
});

eachEngine(all, "texts are matched as they are, built anew, kept, or given to a template", async (db) => {
  const odd = ["50%", "a_b", "[x]*?", "back\\slash", "quo'te", "%_", "\\%"];
  await undone(db, async (tx) => {
    await tx.insert(
      Depot,
      odd.map((name) => ({ name, town: "Elm", districtId: 1 })),
    );
    const names = (await tx.list(from(Depot))).map(({ name }) => name);
    const ways = ["contains", "startsWith", "endsWith"] as const;
    const plain = { contains: "includes", startsWith: "startsWith", endsWith: "endsWith" } as const;
    for (const way of ways) {
      const given = template({ part: text }, (p) => from(Depot).where((d) => d.name[way](p.part)));
      for (const part of [...odd, "%", "_", "\\", "[", "*", "e", "", "s"]) {
        const found = names.filter((name) => name[plain[way]](part)).sort();
        const build = () => from(Depot).where((d) => d.name[way](part));
        for (const query of [build(), build(), given.with({ part })])
          expect((await tx.list(query)).map(({ name }) => name).sort(), `${way} ${part}`).toEqual(found);
      }
    }
  });
});

/**
 * Makes expressions by a list of choices, with the values that are given: the same choices give some that are alike but for values. Where an
 * expression is used again, it is the same one or, by `isShared`, another that looks alike and has values of its own.
 */
function speaking(choices: readonly number[], values: readonly number[], isShared: boolean) {
  let [step, taken] = [0, 0];
  const choose = <T>(...ways: readonly T[]): T => ways[(choices[step++ % choices.length] as number) % ways.length] as T;
  const value = (): number => values[taken++ % values.length] as number;
  type Made = () => Untyped;
  const made = { numbers: [] as Made[], conditions: [] as Made[] };
  const again = (of: keyof typeof made, make: Made): Untyped => {
    const pool = made[of];
    if (pool.length > 0 && choose(false, true)) return (pool[choose(...pool.keys())] as Made)();
    const [from, numbers, conditions] = [step, [...made.numbers], [...made.conditions]];
    const one = make();
    /** The same choices in the same place, for other values. */
    const anew = () => {
      const [to, further] = [step, { ...made }];
      [step, made.numbers, made.conditions] = [from, [...numbers], [...conditions]];
      const other = make();
      [step, made.numbers, made.conditions] = [to, further.numbers, further.conditions];
      return other;
    };
    made[of].push(isShared ? () => one : anew);
    return one;
  };
  /** Numbers and conditions of a row. */
  const words = (r: Untyped, deep: number) => {
    const number = (depth: number): Untyped =>
      again("numbers", () =>
        choose<Made>(
          () => r.id,
          () => r.itemId,
          () => literal(integer, value()),
          () => (depth === 0 ? r.memberId : number(depth - 1).plus(choose<Made>(value, () => number(depth - 1))())),
          () => (depth === 0 ? r.due.month() : number(depth - 1).times(value())),
          () => (depth === 0 ? r.item.name.length() : coalesce(r.item.name.substring(1, choose(1, 2)).toInteger(), value())),
          () => (depth === 0 ? r.memberId : when(condition(depth - 1), number(depth - 1)).otherwise(value())),
          () => sql(integer)`(${depth === 0 ? r.itemId : number(depth - 1)} + ${choose(value, () => r.id)()})`,
          () => r.item.loans.where((l: Untyped) => l.memberId.atMost(value())).count(),
        )(),
      );
    const condition = (depth: number): Untyped =>
      again("conditions", () =>
        choose<Made>(
          () => number(depth).is(value()),
          () => number(depth).isNot(value()),
          () => number(depth).below(number(0)),
          () => r.itemId.oneOf(upTo(value())),
          () => number(depth).oneOf(upTo(value())),
          () => r.item.name.lower().contains("aeiou"[value() % 5]),
          () => (depth === 0 ? r.returned.is(null) : not(condition(depth - 1))),
          () => (depth === 0 ? r.memberId.atMost(value()) : or(condition(depth - 1), condition(depth - 1))),
          () => r.item.repairs.where((p: Untyped) => or(p.itemId.is(value()), p.id.above(value()))).exists(),
          () => exists(from(Item).where((i: Untyped) => and(i.id.is(r.itemId), i.depotId.is(value())))),
        )(),
      );
    return { number: () => number(deep), condition: () => condition(deep) };
  };
  return { choose, value, words };
}

type Told = Parameters<typeof speaking>;

/** A query of loans. */
function building(...told: Told) {
  const { choose, value, words } = speaking(...told);
  const plain = () =>
    (from(Loan) as Untyped).where((l: Untyped) => words(l, 2).condition()).orderBy((l: Untyped) => choose(l.due.desc, words(l, 1).number().asc));
  return choose<() => Untyped>(
    plain,
    () => plain().select((l: Untyped) => ({ id: l.id, n: words(l, 2).number(), m: words(l, 1).number(), is: words(l, 1).condition() })),
    () => plain().select((l: Untyped) => Object.fromEntries([..."abcd"].map((name) => [name, words(l, 1).number()]))),
    () => plain().reach({ item: { repairs: (p: Untyped) => p.where((q: Untyped) => q.id.above(value())) } }),
    () => (from(Item) as Untyped).reach({ loans: (p: Untyped) => p.where((l: Untyped) => words(l, 1).condition()).limit(2) }),
    () =>
      plain().select((l: Untyped) => ({
        id: l.id,
        of: countOver({ by: words(l, 1).number() }),
        at: rank({ by: l.memberId.plus(value()), order: l.id.asc }),
      })),
    () =>
      (from(Loan) as Untyped)
        .where((l: Untyped) => words(l, 1).condition())
        .groupBy((l: Untyped) => ({ by: words(l, 1).number(), who: l.memberId }))
        .having((g: Untyped) => g.count().atLeast(choose(1, value())))
        .orderBy((g: Untyped) => [g.key.by.asc, g.key.who.asc])
        .select((g: Untyped) => ({
          ...g.key,
          next: g.key.by.plus(value()),
          n: g.where((l: Untyped) => words(l, 0).condition()).count(),
          sum: g.sum((l: Untyped) => words(l, 0).number()),
        })),
    () =>
      (from(Depot) as Untyped)
        .leftJoin(Item, (d: Untyped, i: Untyped) => and(i.depotId.is(d.id), i.id.above(value())))
        .where((d: Untyped, i: Untyped) => or(d.id.is(value()), i.id.isNot(value())))
        .orderBy((d: Untyped, i: Untyped) => [d.id.asc, i.id.asc])
        .select((d: Untyped, i: Untyped) => ({ d: d.name, i: i.name, n: coalesce(i.id, value()) })),
  )();
}

eachEngine(all, "random queries that look alike have each the rows of its own values and of its own shape", async (db, engine) => {
  const values = fc.array(fc.integer({ min: 1, max: 6 }), { minLength: 3, maxLength: 9 });
  const choices = fc.array(fc.nat(999), { minLength: 4, maxLength: 40 });
  await fc.assert(
    fc.asyncProperty(choices, fc.array(fc.tuple(values, fc.boolean()), { minLength: 2, maxLength: 4 }), async (way, uses) => {
      for (const [given, isShared] of uses) {
        const build = () => building(way, given, isShared);
        const rows = await engine.connect().list(build());
        expect(await db.list(build())).toStrictEqual(rows);
        expect(await db.count(build())).toBe(rows.length);
        expect(await db.exists(build())).toBe(rows.length > 0);
      }
    }),
    { numRuns: Number(process.env.GEMACH_ALIKE ?? (engine.name === "sqlite" ? 120 : 20)), seed },
  );
});

eachEngine(all, "random updates and deletes that look alike have each their own values", async (db, engine) => {
  const values = fc.array(fc.integer({ min: 1, max: 6 }), { minLength: 3, maxLength: 9 });
  const choices = fc.array(fc.nat(999), { minLength: 4, maxLength: 30 });
  /** What a change leaves; it is undone. */
  const left = async (on: typeof db, told: Told): Promise<unknown> => {
    let rows: unknown;
    await undone(on, async (tx) => {
      const { choose, words } = speaking(...told);
      const some = from(Loan).where((l: Untyped) => words(l, 1).condition());
      const changed = choose(true, true, false)
        ? await tx.update(some, (l: Untyped) => ({
            due: l.due.plusDays(words(l, 1).number()),
            returned: choose(null, l.due, when(words(l, 0).condition(), l.due).otherwise(null)),
          }))
        : await tx.delete(some);
      rows = [changed, await tx.list(from(Loan))];
    });
    return rows;
  };
  await fc.assert(
    fc.asyncProperty(choices, fc.array(fc.tuple(values, fc.boolean()), { minLength: 2, maxLength: 4 }), async (way, uses) => {
      for (const [given, isShared] of uses) expect(await left(db, [way, given, isShared])).toStrictEqual(await left(engine.connect(), [way, given, isShared]));
    }),
    { numRuns: Number(process.env.GEMACH_ALIKE ?? (engine.name === "sqlite" ? 50 : 10)), seed },
  );
});
