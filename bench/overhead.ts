import Sqlite from "better-sqlite3";
import { Bench as Tinybench } from "tinybench";
import { postgresDialect } from "../src/drivers/postgres.js";
import { sqlite } from "../src/drivers/sqlite.js";
import {
  and,
  createTables,
  type Database,
  database,
  from,
  integer,
  preview,
  type Query,
  template,
} from "../src/index.js";
import { fill, generate, lending } from "../tools/src/demo/index.js";

const { Loan, Member } = lending;

/** Three to-one relations, a condition on each. */
const threeJoins = () =>
  from(Loan)
    .where((l) => and(l.item.depot.name.is("Elm Yard"), l.borrower.blocked.is(false), l.returned.is(null)))
    .orderBy((l) => [l.item.name.asc, l.due.desc])
    .select((l) => ({ due: l.due, item: l.item.name, depot: l.item.depot.name, by: l.borrower.name }));

const byKey = template({ id: integer }, (p) => from(Member).where((m) => m.id.is(p.id)));

const open = () => from(Loan).where((l) => and(l.item.depot.name.is("Elm Yard"), l.returned.is(null)));
const ordered = () => open().orderBy((l) => [l.due.desc, l.id.asc]);

/** Verbs of a query of a handful of rows, that a program would keep or build at each call. */
const verbs: Readonly<
  Record<string, readonly [build: () => Kept, run: (db: Database, query: Kept) => Promise<unknown>]>
> = {
  list: [() => ordered().limit(5), (db, query) => db.list(query)],
  reach: [() => ordered().reach({ borrower: true }).limit(5), (db, query) => db.list(query)],
  count: [open, (db, query) => db.count(query)],
  page: [ordered, (db, query) => db.page(query, { number: 1, size: 5 })],
  portion: [ordered, (db, query) => db.portion(query, 5)],
  "list of three joins": [threeJoins, (db, query) => db.list(query)],
};
type Kept = Query;

/** What the library takes by itself, in microseconds. */
export interface Overhead {
  /** Building and compiling a query of three joins. */
  readonly compile: number;
  /** A template, beside the driver's own call. */
  readonly template: number;
  /** A call of each verb with a query that is kept, and with one that is built for the call. */
  readonly verbs: readonly (readonly [verb: string, kept: number, built: number])[];
}

/** Measures it on SQLite, where the driver itself takes least. */
export async function overhead(): Promise<Overhead> {
  const handle = new Sqlite(":memory:");
  const db = database(sqlite(handle));
  await createTables(db, lending);
  await fill(db, generate(10));
  const row = handle.prepare("select id, name, blocked, sponsor_id from member where id = ? limit 2").raw();
  const bench = new Tinybench({ time: 500, warmupTime: 200 });
  bench.add("compile", () => void preview(threeJoins(), { dialect: postgresDialect }));
  bench.add("template", async () => void (await db.single(byKey.with({ id: 77 }))));
  bench.add("driver", async () => {
    const [found] = row.all(77) as [number, string, number, number | null][];
    if (found !== undefined) void { id: found[0], name: found[1], blocked: found[2] === 1, sponsorId: found[3] };
  });
  for (const [verb, [build, run]] of Object.entries(verbs)) {
    const kept = build();
    bench.add(`${verb} kept`, async () => void (await run(db, kept)));
    bench.add(`${verb} built`, async () => void (await run(db, build())));
  }
  const [compile, ours, driver, ...pairs] = (await bench.run()).map(({ result }) =>
    "latency" in result ? result.latency.p50 * 1000 : Number.NaN,
  ) as [number, number, number, ...number[]];
  handle.close();
  return {
    compile,
    template: ours - driver,
    verbs: Object.keys(verbs).map((verb, at) => [verb, pairs[2 * at] as number, pairs[2 * at + 1] as number]),
  };
}
