import { expect, test } from "vitest";
import { dialects } from "../src/drivers/dialects.js";
import { createTablesSql, type Dialect, type DialectName, from, type PreviewedStatement, preview } from "../src/index.js";
import { readableSql } from "../tools/src/cli/readable.js";
import { lending } from "../tools/src/demo/index.js";
import { queries, whole } from "./support/society-queries.js";

const { Item } = lending;

test.each<DialectName>(["sqlite", "postgres", "mariadb"])("the texts of %s are as they were read", async (dialect) => {
  const texts = Object.entries(queries).map(([name, query]) => {
    const statements = preview(query, { dialect: dialects[dialect] }).map(
      ({ purpose, text, select, parameters }) =>
        `-- ${purpose}: ${JSON.stringify(parameters)}\n${readableSql(name === whole ? text : (select ?? text), dialect)};\n`,
    );
    return `-- # ${name}\n${statements.join("")}`;
  });
  const tables = createTablesSql(lending, { dialect: dialects[dialect] }).map((text) => `${text};\n`);
  await expect([...texts, `-- # tables\n${tables.join("")}`].join("\n")).toMatchFileSnapshot(`sql/${dialect}.sql`);
});

const item = { depotId: 1, name: "Drill" };
const drills = from(Item).where((i) => i.name.is("Drill"));

/** What each verb but `list` will send. */
const previews: readonly (readonly [verb: string, statements: (options: { dialect: Dialect }) => readonly PreviewedStatement[], texts: readonly string[]])[] = [
  ["count", (o) => preview.count(drills, o), ["select count(*) from item where item.name = $1"]],
  ["exists", (o) => preview.exists(drills, o), ["select 1 from item where item.name = $1 limit 1"]],
  [
    "single",
    (o) =>
      preview.single(
        drills.select((i) => i.id),
        o,
      ),
    ["select item.id from item where item.name = $1 limit 2"],
  ],
  [
    "page",
    (o) =>
      preview.page(
        drills.select((i) => i.id),
        { size: 5, number: 3 },
        o,
      ),
    ["select count(*) from item where item.name = $1", "select item.id from item where item.name = $1 order by item.id limit 5 offset $2"],
  ],
  [
    "portion",
    (o) =>
      preview.portion(
        drills.select((i) => i.id),
        5,
        o,
      ),
    ["select item.id from item where item.name = $1 order by item.id limit 6"],
  ],
  [
    "stream",
    (o) =>
      preview.stream(
        drills.select((i) => i.id),
        o,
      ),
    ["select item.id from item where item.name = $1 order by item.id limit 4001"],
  ],
  [
    "reach",
    (o) => preview.reach(Item, { depot: (d) => d.columns("name") }, o),
    ["select depot.name, depot.id from depot where depot.id = any ($1::integer[])"],
  ],
  ["insert", (o) => preview.insert(Item, [item], { ...o, returning: (i) => i.id }), ["insert into item (depot_id, name) values ($1, $2) returning id"]],
  [
    "upsert",
    (o) => preview.upsert(Item, [{ id: 1, ...item }], { ...o, set: (_, fresh) => ({ name: fresh.name }) }),
    ["insert into item (id, depot_id, name) values ($1, $2, $3) on conflict (id) do update set name = excluded.name returning ("],
  ],
  ["update", (o) => preview.update(drills, { name: "Saw" }, o), ["update item set name = $1 where item.name = $2"]],
  ["delete", (o) => preview.delete(drills, { ...o, returning: true }), ["delete from item where item.name = $1 returning id, depot_id, name, note"]],
  [
    "insertFrom",
    (o) =>
      preview.insertFrom(
        Item,
        drills.select((i) => ({ depotId: i.depotId, name: i.name })),
        o,
      ),
    ["insert into item (depot_id, name) select item.depot_id, item.name from item where item.name = $1"],
  ],
];

test.each(previews)("what %s will send is shown without sending it", (verb, statements, texts) => {
  const shown = statements({ dialect: dialects.postgres });
  expect(shown.map(({ text }, i) => text.slice(0, Math.max(texts[i]?.length ?? 0, 13)))).toEqual(texts);
  if (verb === "page") expect(shown[1]?.parameters).toEqual(["Drill", 10]);
  for (const dialect of Object.values(dialects)) if (verb !== "delete") expect(statements({ dialect }).length).toBeGreaterThan(0);
});
