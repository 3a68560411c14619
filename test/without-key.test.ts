import { expect } from "vitest";
import { createTables, date, entity, exists, from, identity, integer, model, type Strategy, text, toMany, toOne, varchar } from "../src/index.js";
import { eachEngine, useEngines } from "./support/engines.js";

// Tables whose rows nothing tells apart, and tables that several entities see each in its own way.
const { all } = useEngines(true);
const strategies: readonly Strategy[] = ["auto", "join", "batch", "nest"];

eachEngine(all, "a table without a primary key is read and added to, and says what it cannot do", async (db) => {
  const club = model({
    Guest: entity("guest", { id: identity, name: varchar(20).unique }, { visits: toMany("Visit", { by: "who", to: "name" }) }),
    Visit: entity("guest_visit", { who: varchar(20), on: date }, { guest: toOne("Guest", { by: "who", to: "name" }) }, { withoutKey: true }),
  });
  const { Guest, Visit } = club;
  await createTables(db, club);
  await db.insert(Guest, [{ name: "Ada" }, { name: "Bo" }]);
  const visits = ["2026-05-01", "2026-05-01", "2026-05-02"].map((on) => ({ who: "Ada", on }));
  expect(await db.insert(Visit, visits, { returning: true })).toEqual(visits);
  const ordered = from(Visit).orderBy((v) => v.on.asc);
  const ada = { id: 1, name: "Ada" };
  for (const how of strategies) {
    expect(await db.list(ordered.how(how).reach({ guest: true })), how).toEqual(visits.map((visit) => ({ ...visit, guest: ada })));
    const guests = await db.list(
      from(Guest)
        .how(how)
        .reach({ visits: (v) => v.orderBy((one) => one.on.desc).limit(2) }),
    );
    expect(
      guests.map(({ visits: of }) => of.map(({ on }) => on)),
      how,
    ).toEqual([["2026-05-02", "2026-05-01"], []]);
    const listed = await db.list(ordered.how(how).select((v) => ({ on: v.on, others: v.guest.visits.select((o) => o.on) })));
    expect(
      listed.map(({ others }) => [...others].sort()),
      how,
    ).toEqual(visits.map(() => visits.map(({ on }) => on)));
  }
  expect(await db.count(from(Visit))).toBe(3);
  expect((await db.page(ordered, { number: 2, size: 2 })).rows).toEqual(visits.slice(2));
  expect(
    await db.list(
      from(Visit)
        .select((v) => ({ on: v.on }))
        .distinct(),
    ),
  ).toEqual([{ on: "2026-05-01" }, { on: "2026-05-02" }]);
  expect(
    await db.update(
      from(Visit)
        .where((v) => exists(from(Guest).where((g) => g.name.is(v.who))))
        .where((v) => v.on.is("2026-05-02")),
      (v) => ({ on: v.on.plusDays(1) }),
    ),
  ).toBe(1);
  for (const [refused, call] of [
    [() => db.portion(ordered, 2), "portion()"],
    [
      async () => {
        for await (const _ of db.stream(ordered)) return;
      },
      "stream()",
    ],
    [() => db.delete(from(Visit).limit(1)), "A limit or a path in delete()"],
    [
      () =>
        db.update(
          from(Visit).where((v) => v.guest.id.is(1)),
          { on: "2026-05-01" },
        ),
      "A limit or a path in update()",
    ],
    [() => db.update(from(Visit), (v) => ({ who: v.guest.name }), { all: true }), "What other rows tell in update()"],
    [() => db.upsert(Visit, visits), "upsert() without 'by'"],
    [async () => from(Visit).byKey(1 as never), "byKey()"],
  ] as const)
    await expect((async () => refused())(), call).rejects.toMatchObject({ code: "KEY_MISSING", names: { entity: "Visit", call } });
  expect(await db.delete(from(Visit).where((v) => v.on.is("2026-05-01")))).toBe(2);
});

eachEngine(all, "several entities over one table", async (db) => {
  const views = model({
    Article: entity(
      "article",
      { id: identity, title: text, body: text.defaultsTo("-"), size: integer.defaultsTo(0) },
      { notes: toMany("Remark", { by: "articleId" }) },
    ),
    Title: entity("article", { id: identity, title: text }, { notes: toMany("Remark", { by: "articleId" }) }, { sharedWith: "Article" }),
    Remark: entity(
      "remark",
      { id: identity, articleId: integer, text },
      { article: toOne("Article", { by: "articleId" }), title: toOne("Title", { by: "articleId" }) },
    ),
  });
  const { Article, Title, Remark } = views;
  await createTables(db, views);
  await db.insert(Article, [{ title: "a", body: "long" }]);
  await db.insert(Title, [{ title: "b" }]);
  await db.insert(Remark, [{ articleId: 2, text: "x" }]);
  expect(await db.list(from(Article))).toEqual([
    { id: 1, title: "a", body: "long", size: 0 },
    { id: 2, title: "b", body: "-", size: 0 },
  ]);
  for (const how of strategies) {
    const [remark] = await db.list(
      from(Remark)
        .how(how)
        .reach({ article: true, title: { notes: true } }),
    );
    expect(remark, how).toEqual({
      id: 1,
      articleId: 2,
      text: "x",
      article: { id: 2, title: "b", body: "-", size: 0 },
      title: { id: 2, title: "b", notes: [{ id: 1, articleId: 2, text: "x" }] },
    });
  }
});
