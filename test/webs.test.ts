import { expect } from "vitest";
import { createTables, entity, from, identity, integer, linked, model, text, toMany, toOne, via } from "../src/index.js";
import { eachEngine, useEngines } from "./support/engines.js";

// Rows that lead to rows of their own kind over the rows of a link, or over several relations.
const { all } = useEngines(true);
const web = model({
  Spot: entity(
    "spot",
    { id: identity, name: text },
    {
      roads: toMany("Road", { by: "fromId" }),
      arrivals: toMany("Road", { by: "toId" }),
      next: linked("Spot", { by: "Road", from: "from", to: "to" }),
      beyond: via("next", "next"),
    },
  ),
  Road: entity("road", { fromId: integer.key, toId: integer.key }, { from: toOne("Spot", { by: "fromId" }), to: toOne("Spot", { by: "toId" }) }),
});
const { Spot, Road } = web;
const names = ["a", "b", "c", "d", "e"];
const roads: readonly (readonly [number, number])[] = [
  [1, 2],
  [1, 3],
  [2, 4],
  [3, 4],
  [4, 5],
  [5, 1],
];

interface Walked {
  readonly id: number;
  readonly next: readonly Walked[];
}
/** All that roads lead to, no spot twice on one way. */
const walk = (id: number, levels: number, way: readonly number[] = [id]): Walked => ({
  id,
  next: levels === 0 ? [] : roads.filter(([from, to]) => from === id && !way.includes(to)).map(([, to]) => walk(to, levels - 1, [...way, to])),
});
const shown = ({ id, next }: Walked): Walked => ({ id, next: next.map(shown) });

eachEngine(all, "trees over links and over several relations", async (db) => {
  await createTables(db, web);
  await db.insert(
    Spot,
    names.map((name) => ({ name })),
  );
  await db.insert(
    Road,
    roads.map(([fromId, toId]) => ({ fromId, toId })),
  );
  const begin = from(Spot).byKey(1);
  for (const levels of [1, 2, 9]) {
    const [found] = await db.list(begin.reach({ next: (s) => s.deep(levels) }));
    expect(shown(found as unknown as Walked), `${levels} levels`).toEqual(walk(1, levels));
  }
  const [far] = await db.list(begin.reach({ beyond: (s) => s.deep() }));
  const beyond = (row: unknown): unknown => ({ id: (row as { id: number }).id, beyond: (row as { beyond: unknown[] }).beyond.map(beyond) });
  expect(beyond(far)).toEqual({ id: 1, beyond: [{ id: 4, beyond: [] }] });
  const way = (query: ReturnType<typeof begin.descend>) =>
    db.list(query.orderBy((_, place) => place.path.asc).select((s, place) => ({ name: s.name, depth: place.depth, path: place.path })));
  expect(await way(begin.descend("next"))).toEqual([
    { name: "a", depth: 0, path: "/1/" },
    { name: "b", depth: 1, path: "/1/2/" },
    { name: "d", depth: 2, path: "/1/2/4/" },
    { name: "e", depth: 3, path: "/1/2/4/5/" },
    { name: "c", depth: 1, path: "/1/3/" },
    { name: "d", depth: 2, path: "/1/3/4/" },
    { name: "e", depth: 3, path: "/1/3/4/5/" },
  ]);
  expect(await way(begin.descend("beyond"))).toEqual([
    { name: "a", depth: 0, path: "/1/" },
    { name: "d", depth: 1, path: "/1/4/" },
  ]);
});
