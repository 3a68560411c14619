import Sqlite from "better-sqlite3";
import { Bench as Tinybench } from "tinybench";
import { fill, generate, lending } from "../src/demo/index.js";
import { sqlite } from "../src/drivers/sqlite.js";
import { and, database, from, integer, layOut, preview, template } from "../src/index.js";

const { Loan, Member } = lending;

/** Three to-one relations, a condition on each, built anew and compiled. */
const threeJoins = () =>
  preview(
    from(Loan)
      .where((l) => and(l.item.depot.name.is("Elm Yard"), l.borrower.blocked.is(false), l.returned.is(null)))
      .orderBy((l) => [l.item.name.asc, l.due.desc])
      .select((l) => ({ due: l.due, item: l.item.name, depot: l.item.depot.name, by: l.borrower.name })),
    { dialect: "postgres" },
  );

const byKey = template({ id: integer }, (p) => from(Member).where((m) => m.id.is(p.id)));

/** Microseconds that the library takes by itself: to compile a query, and to run a template beside the driver's own call. */
export async function overhead(): Promise<{ readonly compile: number; readonly template: number }> {
  const handle = new Sqlite(":memory:");
  const db = database(sqlite(handle));
  await layOut(db, lending);
  await fill(db, generate(10));
  const row = handle.prepare("select id, name, blocked, sponsor_id from member where id = ? limit 2").raw();
  const bench = new Tinybench({ time: 500, warmupTime: 200 });
  bench.add("compile", () => void threeJoins());
  bench.add("template", async () => void (await db.single(byKey.with({ id: 77 }))));
  bench.add("driver", async () => {
    const [found] = row.all(77) as [number, string, number, number | null][];
    if (found !== undefined) void { id: found[0], name: found[1], blocked: found[2] === 1, sponsorId: found[3] };
  });
  const [compile, ours, driver] = (await bench.run()).map(({ result }) =>
    "latency" in result ? result.latency.p50 * 1000 : Number.NaN,
  );
  handle.close();
  return { compile: compile as number, template: (ours as number) - (driver as number) };
}
