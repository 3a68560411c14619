import { readFileSync, writeFileSync } from "node:fs";
import {
  createTables,
  type Database,
  date,
  entity,
  from,
  integer,
  linked,
  model,
  preview,
  type Query,
  type Strategy,
  sql,
  toMany,
  toOne,
  varchar,
} from "../src/index.js";
import { forced } from "../src/query/index.js";
import type { Bench } from "./engines.js";
import { median } from "./figures.js";

export const strategies = ["auto", "join", "batch", "nest"] as const satisfies readonly Strategy[];

/** How many owners there are, and are asked for at most, by the number of rows in each list. */
const owners = { 1: 10_000, 10: 1000, 100: 300 } as const;
type Per = keyof typeof owners;
const rootCounts = [1, 10, 20, 50, 100, 300, 1000, 10_000] as const;

/** Owners with so many parts, marks and tags each; each part is of a kind and has three bits. */
const worldOf = (per: number) =>
  model({
    Owner: entity(
      `grid_owner_${per}`,
      { id: integer.key, name: varchar(40) },
      {
        parts: toMany("Part", { by: "ownerId" }),
        marks: toMany("Mark", { by: "ownerId" }),
        tags: linked("Tag", { by: "OwnerTag" }),
      },
    ),
    Part: entity(
      `grid_part_${per}`,
      { id: integer.key, ownerId: integer, kindId: integer, name: varchar(40), made: date },
      {
        owner: toOne("Owner", { by: "ownerId" }),
        kind: toOne("Kind", { by: "kindId" }),
        bits: toMany("Bit", { by: "partId" }),
      },
      { indexes: [{ on: ["ownerId", "made desc"] }] },
    ),
    Bit: entity(
      `grid_bit_${per}`,
      { id: integer.key, partId: integer, name: varchar(40) },
      { part: toOne("Part", { by: "partId" }) },
    ),
    Mark: entity(
      `grid_mark_${per}`,
      { id: integer.key, ownerId: integer, name: varchar(40) },
      { owner: toOne("Owner", { by: "ownerId" }) },
    ),
    Kind: entity(`grid_kind_${per}`, { id: integer.key, name: varchar(40) }),
    Tag: entity(`grid_tag_${per}`, { id: integer.key, name: varchar(40) }),
    OwnerTag: entity(
      `grid_owner_tag_${per}`,
      { ownerId: integer.key, tagId: integer.key },
      { owner: toOne("Owner", { by: "ownerId" }), tag: toOne("Tag", { by: "tagId" }) },
    ),
  });
type World = ReturnType<typeof worldOf>;

/** Shapes of what is reached, by name. */
const shapes: Readonly<Record<string, (world: World, roots: number) => Query>> = {
  "to-one": ({ Part }, limit) => from(Part).limit(limit).reach({ owner: true, kind: true }),
  "to-many": ({ Owner }, limit) => from(Owner).limit(limit).reach({ parts: true }),
  "to-many with a to-one": ({ Owner }, limit) =>
    from(Owner)
      .limit(limit)
      .reach({ parts: { kind: true } }),
  "two to-many": ({ Owner }, limit) => from(Owner).limit(limit).reach({ parts: true, marks: true }),
  "three levels": ({ Owner }, limit) =>
    from(Owner)
      .limit(limit)
      .reach({ parts: { bits: true } }),
  "newest 3": ({ Owner }, limit) =>
    from(Owner)
      .limit(limit)
      .reach({ parts: (p) => p.orderBy((one) => one.made.desc).limit(3) }),
  linked: ({ Owner }, limit) => from(Owner).limit(limit).reach({ tags: true }),
};

const named = (what: string, count: number) =>
  Array.from({ length: count }, (_, id) => ({ id, name: `${what} ${id}` }));

async function fillWorld(db: Database, world: World, per: Per): Promise<void> {
  const count = owners[per];
  await createTables(db, world);
  await db.insert(world.Owner, named("Owner", count));
  await db.insert(world.Kind, named("Kind", 50));
  await db.insert(world.Tag, named("Tag", 200));
  const parts = named("Part", count * per);
  await db.insert(
    world.Part,
    parts.map((part) => ({
      ...part,
      ...{ ownerId: part.id % count, kindId: part.id % 50, made: `2026-01-${10 + (part.id % 20)}` },
    })),
  );
  await db.insert(
    world.Mark,
    named("Mark", count * per).map((mark) => ({ ...mark, ownerId: mark.id % count })),
  );
  await db.insert(
    world.Bit,
    named("Bit", count * per * 3).map((bit) => ({ ...bit, partId: bit.id % parts.length })),
  );
  await db.insert(
    world.OwnerTag,
    parts.map(({ id }) => ({ ownerId: id % count, tagId: (Math.floor(id / count) * 7 + id) % 200 })),
  );
}

/** One cell: each strategy's time, in milliseconds. */
export interface Cell {
  readonly engine: string;
  /** The way to the server, one way, in milliseconds. */
  readonly distance: number;
  readonly shape: string;
  readonly roots: number;
  readonly children: number;
  readonly times: Readonly<Record<(typeof strategies)[number], number>>;
}

/** The time of each strategy: in turn, those that send the same texts once. */
async function timesOf(db: Database, query: Query, roundTrip: number): Promise<Cell["times"]> {
  const ways = new Map<string, { readonly query: Query; readonly alike: string[]; readonly times: number[] }>();
  for (const strategy of strategies) {
    const one = forced(query, strategy, "grid");
    const texts = preview(one, { dialect: db.dialect, roundTrip })
      .map(({ text }) => text)
      .join("\n");
    const known = ways.get(texts) ?? { query: one, alike: [], times: [] };
    known.alike.push(strategy);
    ways.set(texts, known);
  }
  const all = [...ways.values()];
  const run = async ({ query: one, times }: (typeof all)[number]): Promise<void> => {
    const started = performance.now();
    await db.list(one);
    times.push(performance.now() - started);
  };
  for (const way of all) {
    await run(way);
    if ((way.times[0] ?? 0) < 1000) await run(way);
  }
  // What takes ten times as long as another way has no need of a second look.
  const least = Math.min(...all.flatMap(({ times }) => times));
  const near = all.filter(({ times }) => Math.min(...times) < 10 * least);
  for (const { times } of near) times.length = 0;
  const first = near[0]?.times ?? [];
  for (const end = performance.now() + 80 * near.length; first.length < 5 || performance.now() < end; ) {
    if (first.length >= 60) break;
    for (const way of near) await run(way);
  }
  const found = all.flatMap(({ alike, times }) => alike.map((strategy) => [strategy, median(times)] as const));
  return Object.fromEntries(found) as Cell["times"];
}

const file = "bench/grid.json";

/** What was kept of the last grids. */
export const keptCells = (): readonly Cell[] => JSON.parse(readFileSync(file, "utf8")) as readonly Cell[];

/** Takes the grid of the engines that are open, and keeps it in a file in place of what was there of them. */
export async function takeGrid(benches: readonly Bench[], distance: number): Promise<readonly Cell[]> {
  const cells: Cell[] = [];
  for (const { name, db } of benches)
    for (const per of Object.keys(owners).map(Number) as Per[]) {
      const world = worldOf(per);
      await fillWorld(db, world, per);
      // What a server does by itself before long.
      if (name.startsWith("P")) await db.send(sql.command`analyze`);
      for (const [shape, queryOf] of Object.entries(shapes))
        for (const roots of rootCounts) {
          if (roots > owners[per]) continue;
          process.stderr.write(`${name}, ${distance} ms: ${shape}, ${roots} × ${per}\n`);
          const times = await timesOf(db, queryOf(world, roots), 2 * distance);
          cells.push({ engine: name, distance, shape, roots, children: per, times });
        }
    }
  const isNew = (cell: Cell) => cells.some(({ engine }) => engine === cell.engine) && cell.distance === distance;
  let kept: readonly Cell[] = [];
  try {
    kept = keptCells();
  } catch {
    // There is none yet.
  }
  const lines = [...kept.filter((cell) => !isNew(cell)), ...cells].map((cell) => {
    const times = Object.fromEntries(
      Object.entries(cell.times).map(([name, time]) => [name, Number(time.toPrecision(3))]),
    );
    return JSON.stringify({ ...cell, times });
  });
  writeFileSync(file, `[\n${lines.join(",\n")}\n]\n`);
  return cells;
}

/** How far `auto` is from the best strategy in a cell. */
export const excess = ({ times }: Cell): number => times.auto / Math.min(...Object.values(times));

/** In words: how many cells are how far off, and which are further than one would like. */
export function gridText(cells: readonly Cell[]): string {
  const off = cells.filter((cell) => excess(cell) > 1.15).toSorted((a, b) => excess(b) - excess(a));
  const lines = off.map(
    (cell) =>
      `${excess(cell).toFixed(2)}  ${cell.engine}, ${cell.distance} ms: ${cell.shape}, ${cell.roots} × ${cell.children} (${strategies.map((one) => `${one} ${cell.times[one].toFixed(2)}`).join(", ")})`,
  );
  return [`auto is at most 1.15 of the best in ${cells.length - off.length} of ${cells.length} cells.`, ...lines].join(
    "\n",
  );
}
