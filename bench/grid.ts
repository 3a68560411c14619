import Table from "cli-table3";
import {
  compare,
  createTables,
  type Database,
  date,
  entity,
  from,
  integer,
  model,
  type Query,
  type Strategy,
  toMany,
  toOne,
  varchar,
} from "../src/index.js";
import type { Bench } from "./engines.js";

const strategies = ["auto", "join", "batch", "nest"] as const satisfies readonly Strategy[];
const roots = [1, 10, 20, 50, 100, 300] as const;
const children = [1, 10, 100] as const;

/** Owners with so many parts each, each part of a kind. */
const worldOf = (per: number) =>
  model({
    Owner: entity(
      `grid_owner_${per}`,
      { id: integer.key, name: varchar(40) },
      { parts: toMany("Part", { by: "ownerId" }) },
    ),
    Part: entity(
      `grid_part_${per}`,
      { id: integer.key, ownerId: integer, kindId: integer, name: varchar(40), made: date },
      { owner: toOne("Owner", { by: "ownerId" }), kind: toOne("Kind", { by: "kindId" }) },
    ),
    Kind: entity(`grid_kind_${per}`, { id: integer.key, name: varchar(40) }),
  });

/** Shapes of what is reached, by name. */
const shapes: Readonly<Record<string, (world: ReturnType<typeof worldOf>, roots: number) => Query>> = {
  "to-many": ({ Owner }, limit) => from(Owner).limit(limit).reach({ parts: true }),
  "to-many with a to-one": ({ Owner }, limit) =>
    from(Owner)
      .limit(limit)
      .reach({ parts: { kind: true } }),
  "to-one": ({ Part }, limit) => from(Part).limit(limit).reach({ owner: true, kind: true }),
};

async function fillWorld(db: Database, world: ReturnType<typeof worldOf>, per: number): Promise<void> {
  const owners = Math.max(...roots);
  await createTables(db, world);
  await db.insert(
    world.Owner,
    Array.from({ length: owners }, (_, id) => ({ id, name: `Owner ${id}` })),
  );
  await db.insert(
    world.Kind,
    Array.from({ length: 50 }, (_, id) => ({ id, name: `Kind ${id}` })),
  );
  await db.insert(
    world.Part,
    Array.from({ length: owners * per }, (_, id) => ({
      ...{ id, ownerId: id % owners, kindId: id % 50 },
      ...{ name: `Part ${id}`, made: "2026-01-01" },
    })),
  );
}

/**
 * Each strategy's time by that of the best one, in cells of roots and children, for each engine that is open; `latency`: the way to
 * the server and back that each statement is taken to have further, in milliseconds.
 */
export async function gridFigures(benches: readonly Bench[], latency: number): Promise<string> {
  const texts: string[] = [];
  for (const { name, db } of benches) {
    const table = new Table({
      head: [`${name}, ${latency} ms further`, "roots × children", ...strategies],
      style: { head: [], border: [] },
    });
    for (const per of children) {
      const world = worldOf(per);
      await fillWorld(db, world, per);
      for (const [shape, queryOf] of Object.entries(shapes))
        for (const limit of roots) {
          process.stderr.write(`${name}: ${shape}, ${limit} × ${per}\n`);
          const { ways } = await compare(db, queryOf(world, limit), { rounds: 15, latency });
          const times = new Map(
            ways.flatMap(({ strategy, alike, milliseconds }) =>
              [strategy, ...alike].map((one) => [one, milliseconds] as const),
            ),
          );
          const best = Math.min(...times.values());
          const cells = strategies.map((strategy) => ((times.get(strategy) ?? Number.NaN) / best).toFixed(2));
          table.push([shape, `${limit} × ${per}`, ...cells]);
        }
    }
    texts.push(String(table));
  }
  return texts.join("\n");
}
