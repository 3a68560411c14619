import { expect } from "vitest";
import { dialects } from "../src/drivers/dialects.js";
import { and, bigint, boolean, date, from, integer, numeric, preview, sql, text } from "../src/index.js";
import { generate, lending } from "../tools/src/demo/index.js";
import { eachEngine, useSociety } from "./support/engines.js";

const { Item, Loan, Member, Repair } = lending;
const society = generate(3, 21);
const all = useSociety(society);
const names = (rows: readonly { readonly name: string }[]) => rows.map(({ name }) => name);

eachEngine(all, "a whole statement, its rows told by columns", async (db) => {
  const rows = await db.list(
    sql.rows({ id: integer, due: date, back: date.nullable, blocked: boolean, wide: bigint })`
      select loan.id, due, returned, blocked, loan.id + ${2 ** 31}
      from ${Loan} join ${Member} on member.id = member_id
      where member.name = ${society.Member[3]?.name as string} order by loan.id desc`,
  );
  const wanted = society.Loan.filter((l) => society.Member.find((m) => m.id === l.memberId)?.name === society.Member[3]?.name).reverse();
  expect(rows).toStrictEqual(
    wanted.map((l) => ({
      id: l.id,
      due: l.due,
      back: l.returned,
      blocked: society.Member.find((m) => m.id === l.memberId)?.blocked,
      wide: BigInt(l.id as number) + 2n ** 31n,
    })),
  );
  await expect(db.list(sql.rows({ id: integer })`select id, name from ${Member}`)).rejects.toMatchObject({ code: "ROWS_UNLIKE" });
});

eachEngine(all, "a fragment inside a query, and a statement as a source", async (db) => {
  const shouted = from(Member)
    .where((m) => sql(boolean)`length(${m.name}) > ${9}`)
    .orderBy((m) => [sql(integer)`length(${m.name})`.desc, m.id.asc])
    .select((m) => ({ name: sql(text)`upper(${m.name})`, twice: sql(integer)`${m.id} * 2`.plus(1) }));
  const wanted = [...society.Member]
    .filter((m) => m.name.length > 9)
    .sort((a, b) => b.name.length - a.name.length || (a.id as number) - (b.id as number))
    .map((m) => ({ name: m.name.toUpperCase(), twice: (m.id as number) * 2 + 1 }));
  expect(await db.list(shouted)).toStrictEqual(wanted);

  const costs = sql.rows({ item: integer, cost: numeric(10, 2) })`select item_id, cost from ${Repair}`.rows;
  const dear = from(Item)
    .join(costs, (i, c) => and(c.item.is(i.id), c.item.above(0)))
    .groupBy((i) => i.name)
    .select((g) => ({ name: g.key, repairs: g.count() }));
  const repaired = society.Repair.map((r) => society.Item.find((i) => i.id === r.itemId)?.name as string);
  expect(await db.list(dear)).toEqual([...new Set(repaired)].sort().map((name) => ({ name, repairs: repaired.filter((other) => other === name).length })));
});

eachEngine(all, "what a statement gives is checked as its columns were told", async (db) => {
  const short = text.meets({
    "~standard": { version: 1, vendor: "test", validate: (value) => (String(value).length < 12 ? { value } : { issues: [{ message: "too long" }] }) },
  });
  await expect(db.list(sql.rows({ name: short })`select name from ${Member}`)).rejects.toMatchObject({
    code: "VALUE_REFUSED",
    names: { reason: "too long" },
  });
  expect(await db.list(sql.rows({ name: short })`select name from ${Member} where length(name) < 12 order by id`)).toEqual(
    society.Member.filter((m) => m.name.length < 12).map(({ name }) => ({ name })),
  );
  const nothing = { code: "VALUE_NULL" };
  await expect(db.list(sql.rows({ due: date })`select returned from ${Loan} where returned is null`)).rejects.toMatchObject(nothing);
  await expect(db.list(from(Loan).select((l) => sql(date)`${l.returned}`))).rejects.toMatchObject(nothing);
});

eachEngine(all, "a statement that gives no rows, and one that is wrong", async (db) => {
  expect(await db.send(sql.command`update ${Member} set name = ${"Zoë 'Z' Zorn"} where id = ${2}`)).toBe(1);
  expect(names(await db.list(from(Member).where((m) => m.id.is(2))))).toEqual(["Zoë 'Z' Zorn"]);
  await db.send(sql.command`update ${Member} set name = ${society.Member[1]?.name as string} where id = ${2}`);
  await expect(db.send(sql.command`updat ${Member}`)).rejects.toMatchObject({ code: "STATEMENT_REFUSED" });
  // @ts-expect-error nothing is not a value
  expect(() => sql(integer)`${undefined} + 1`).toThrow(expect.objectContaining({ code: "VALUE_MISSING" }));
  expect(
    preview(
      from(Member)
        .where((m) => sql(boolean)`${m.name} ~ ${"^A"}`)
        .select((m) => m.id),
      { dialect: dialects.postgres },
    )[0],
  ).toMatchObject({
    text: 'select "member".id from "member" where "member".name ~ $1::text order by "member".id',
    parameters: ["^A"],
  });
});
