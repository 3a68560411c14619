import { subscribe, unsubscribe } from "node:diagnostics_channel";
import * as api from "@opentelemetry/api";
import { AggregationTemporality, InMemoryMetricExporter, MeterProvider, PeriodicExportingMetricReader } from "@opentelemetry/sdk-metrics";
import { BasicTracerProvider, InMemorySpanExporter, SimpleSpanProcessor } from "@opentelemetry/sdk-trace-base";
import { expect, test } from "vitest";
import { from, type SentStatement, watchStatements, withLedger } from "../src/index.js";
import { channelNames, publishStatements } from "../src/telemetry/diagnostics.js";
import { openTelemetry } from "../src/telemetry/open-telemetry.js";
import { type LedgerMatchers, ledgerMatchers, statementsText } from "../src/testing/matchers.js";
import { generate, lending } from "../tools/src/demo/index.js";
import { eachEngine, useSociety } from "./support/engines.js";

declare module "vitest" {
  // biome-ignore lint/suspicious/noExplicitAny: as Vitest's own interface has it
  interface Matchers<T = any> extends LedgerMatchers<T> {}
}
expect.extend(ledgerMatchers);

const { Depot, Item, Loan } = lending;
const all = useSociety(generate(10, 7, { items: 3, members: 2, loans: 4 }));
const withItems = from(Depot).reach({ items: true });

eachEngine(all, "spans and metrics follow the conventions for database clients, and hold no values", async (db, { name }) => {
  const spans = new InMemorySpanExporter();
  const metrics = new InMemoryMetricExporter(AggregationTemporality.CUMULATIVE);
  const reader = new PeriodicExportingMetricReader({ exporter: metrics, exportIntervalMillis: 1e6 });
  const tracing = new BasicTracerProvider({ spanProcessors: [new SimpleSpanProcessor(spans)] });
  const metering = new MeterProvider({ readers: [reader] });
  const own = { ...api, trace: tracing, metrics: metering };
  const end = openTelemetry(db, own);
  await db.list(withItems.where((d) => d.name.isNot("a name")));
  await db.insert(Depot, [{ districtId: 1, id: 1, name: "a name", town: "x" }]).catch(() => {});
  end();
  await db.count(from(Loan));
  const system = name === "pglite" ? "postgresql" : name === "postgres" ? "postgresql" : name;
  const told = spans.getFinishedSpans().map(({ name: title, kind, attributes, status }) => [title, kind, status.code, attributes["db.response.returned_rows"]]);
  expect(told).toEqual([
    ["select Depot", 2, 0, 10],
    ["select Item", 2, 0, 30],
    ["insert Depot", 2, 2, undefined],
  ]);
  expect(spans.getFinishedSpans()[1]?.attributes).toMatchObject({
    "db.system.name": system,
    "db.operation.name": "select",
    "db.collection.name": "Item",
    "gemach.relation": "Depot.items",
    "code.file.path": expect.stringMatching(/telemetry\.test\.ts$/),
  });
  expect(JSON.stringify(spans.getFinishedSpans().map(({ attributes }) => attributes))).not.toContain("a name");
  await reader.forceFlush();
  const found = metrics.getMetrics().flatMap(({ scopeMetrics }) => scopeMetrics.flatMap((scope) => scope.metrics.map(({ descriptor }) => descriptor)));
  expect(found.map(({ name: metric, unit }) => [metric, unit])).toEqual([
    ["db.client.operation.duration", "s"],
    ["db.client.response.returned_rows", "{row}"],
  ]);
  await metering.shutdown();
});

eachEngine(all, "statements are told to a logger, and on channels of the platform", async (db) => {
  const logged: string[] = [];
  const end = watchStatements(db, ({ text, rows, origin }) => logged.push(`${origin.verb} ${rows} ${text.slice(0, 6)}`));
  const published: string[] = [];
  const listen = (statement: unknown) => void published.push((statement as SentStatement).origin.purpose);
  subscribe(channelNames.ends, listen);
  const ends = publishStatements(db);
  await db.list(withItems);
  end();
  ends();
  unsubscribe(channelNames.ends, listen);
  await db.count(from(Loan));
  expect(logged).toEqual(["list 10 select", "list 30 select"]);
  expect(published).toEqual(["rows of Depot", "Depot.items by batch"]);
});

test("matchers say what came instead", async () => {
  for (const engine of all()) {
    const db = engine.connect();
    const good = await withLedger(db, "board", () => db.list(withItems));
    expect(good).toSendAtMost(2);
    expect(good).not.toHaveFinding();
    const bad = await withLedger(db, "board", async () => {
      for (const { id } of await db.list(from(Depot))) await db.list(from(Item).where((i) => i.depotId.is(id)));
    });
    expect(bad).toHaveFinding("repeat");
    expect(() => expect(bad).toSendAtMost(2)).toThrow(
      /At most 2 statements were expected, and 11 came:\n {2}10 × list at telemetry\.test\.ts:\d+: select[\s\S]*repeat: 10 statements for Item/,
    );
    expect(() => expect(bad).not.toHaveFinding("repeat")).toThrow(
      /No finding 'repeat' was expected, and there is:[\s\S]*from\(Depot\)\.reach\(\{ items: true \}\)/,
    );
    expect(() => expect(good).toHaveFinding("echo")).toThrow(/A finding 'echo' was expected, and there is none/);
    expect(() => expect([]).toSendAtMost(1)).toThrow(/takes a ledger/);
    expect(statementsText(bad).split("\n")).toEqual([
      "-- list: rows of Depot",
      expect.stringMatching(/^select depot\.id.*;$/),
      "",
      "-- list: rows of Item, 10 times",
      expect.stringMatching(/^select item\.id.*;$/),
      "",
    ]);
  }
});
