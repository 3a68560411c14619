import fc from "fast-check";
import { expect, test } from "vitest";
import { createTables, type Database, preview } from "../src/index.js";
import { type Engine, useEngines } from "./support/engines.js";
import { type Comparing, handleValues, type RandomWorld, worlds } from "./support/random-worlds.js";
import { anyQuery, expected, listQueryOf, queryOf, type Spec, shapeOf, withLists, withoutHow } from "./support/reference.js";
import { seed } from "./support/seed.js";

const { all } = useEngines(true);
const runs = Number(process.env.GEMACH_MODELS ?? 12);
const runsOnServers = Number(process.env.GEMACH_MODELS_ON_SERVERS ?? 4);
// biome-ignore lint/suspicious/noExplicitAny: random models are put together without types
type Untyped = any;

/** Text that differs where key order, null against undefined, or any value does. */
const exact = (rows: unknown): string =>
  JSON.stringify(rows, (_, value) => (value === undefined ? "undefined!" : typeof value === "bigint" ? `${value}n` : value));

interface Case {
  readonly world: RandomWorld;
  readonly queries: readonly { readonly entity: string; readonly spec: Spec }[];
}

const cases = (comparing: Comparing): fc.Arbitrary<Case> =>
  worlds(comparing).chain((world) => fc.record({ world: fc.constant(world), queries: fc.array(anyQuery(world), { minLength: 1, maxLength: 4 }) }));

/** Whether a tree reaches further: a row that would end a circle is left out of it, but what its keys lead to is looked for. */
const looksFurther = ({ reach }: Spec): boolean =>
  Object.values(reach).some((inner) => (inner.deep !== undefined && Object.keys(inner.reach).length > 0) || looksFurther(inner));

async function check(engine: Engine, { world, queries }: Case): Promise<void> {
  const connect = (options?: object) => engine.connect(options).as(handleValues);
  const usual = connect();
  const tables = world.tables as Untyped;
  await createTables(usual, tables);
  try {
    for (const name of Object.keys(tables)) if (world.stored[name]?.length) await usual.insert(tables[name], world.stored[name] as Untyped);
    for (const { entity, spec } of queries) {
      const rows = ((): string => {
        try {
          return exact(expected(world, entity, spec));
        } catch (error) {
          return (error as Error).message;
        }
      })();
      const ask = async (db: Database, query: Untyped, what: string) => {
        const told = () =>
          `${engine.name}, ${what}:\n${preview(query, { dialect: db.dialect })
            .map(({ text }) => text)
            .join("\n")}`;
        const found = await db.list(query).then(exact, (error: Error & { code?: string }) => (error.code === "RELATED_MISSING" ? error.code : error));
        if (found instanceof Error) throw new Error(`${found.message}\n${told()}`);
        expect(found, told()).toBe(rows);
        if (rows !== "RELATED_MISSING") expect(await db.count(query), what).toBe(JSON.parse(rows).length);
      };
      const plain = queryOf(world, entity, withoutHow(spec));
      const isMissed = (work: Promise<unknown>) =>
        work.then(
          () => false,
          (error: { code?: string }) => error.code === "RELATED_MISSING",
        );
      if (rows !== "RELATED_MISSING" && looksFurther(spec) && (await isMissed(usual.list(plain)))) continue;
      for (const how of ["auto", "join", "batch", "nest"] as const) await ask(connect({ how }), plain, how);
      await ask(connect({ generateCode: false }), queryOf(world, entity, spec), "strategies mixed");
      const lists = withLists(world, entity, spec);
      const listed = exact(expected(world, entity, lists));
      for (const how of ["auto", "join", "nest"] as const) {
        const found = await usual.list(listQueryOf(world, entity, lists).how(how));
        expect(exact(found), `${engine.name}, lists of a projection, ${how}`).toBe(listed);
      }
      if (rows !== "RELATED_MISSING" && spec.limit === undefined && spec.offset === undefined) {
        const there: unknown[] = [];
        const back: unknown[] = [];
        for (let portion = await usual.portion(plain, 2); ; portion = await usual.portion((plain as Untyped).after(portion.next), 2)) {
          there.push(...portion.rows);
          if (portion.next === null) {
            for (let before = portion; ; before = await usual.portion((plain as Untyped).before(before.previous), 2)) {
              back.unshift(...before.rows);
              if (before.previous === null) break;
            }
            break;
          }
        }
        expect([exact(there), exact(back)], `${engine.name}, portions there and back`).toEqual([rows, rows]);
      }
      if (spec.columns === undefined && rows !== "RELATED_MISSING") {
        const bare = (await usual.list(queryOf(world, entity, { ...spec, reach: {} }))) as Untyped;
        expect(exact(await usual.reach(bare, (world.model as Untyped)[entity], shapeOf(world, entity, spec.reach) as Untyped)), "in memory").toBe(rows);
      }
    }
  } finally {
    for (const [name] of await engine.rows(tablesQuery(engine))) await engine.execute(`drop table ${usual.dialect.text.quote(String(name))}`);
  }
}

const tablesQuery = ({ name }: Engine): string =>
  name.endsWith("sqlite")
    ? "select name from sqlite_schema where type = 'table'"
    : `select table_name from information_schema.tables where table_schema = ${name === "mariadb" ? "database()" : "'public'"}`;

test(`${runs} random models with random queries give the rows of a plain evaluation (seed ${seed})`, async () => {
  const [lite, ...servers] = [...all()].sort((a, b) => Number(b.name.endsWith("sqlite")) - Number(a.name.endsWith("sqlite")));
  await fc.assert(
    fc.asyncProperty(cases({ isFolding: true, isScaled: false }), (one) => check(lite as Engine, one)),
    { numRuns: runs, includeErrorInReport: true },
  );
  for (const engine of servers)
    await fc.assert(
      fc.asyncProperty(cases({ isFolding: engine.name === "mariadb", isScaled: true }), (one) => check(engine, one)),
      { numRuns: runsOnServers, includeErrorInReport: true },
    );
}, 3_600_000);
