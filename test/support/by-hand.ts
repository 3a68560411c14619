import { expect } from "vitest";
import type { Query } from "../../src/index.js";
import type { Engine } from "./engines.js";

/** What a query has to give: its rows, or the SQL that a person would write for them on SQLite. */
export type Expected = string | readonly unknown[];

/** The values of a row, one after the other; truth values as SQLite has them. */
const values = (row: unknown): unknown[] =>
  typeof row === "object" && row !== null ? Object.values(row).flatMap(values) : [typeof row === "boolean" ? Number(row) : row];

/** Compares what each engine gives for a query with what SQL by hand gives, or with rows worked out in plain code. */
export async function expectSame(engines: readonly Engine[], query: Query, expected: Expected): Promise<void> {
  const sqlite = engines.find(({ name }) => name.endsWith("sqlite")) as Engine;
  const rows = typeof expected === "string" ? await sqlite.rows(expected) : expected;
  expect(rows.length).toBeGreaterThan(0);
  for (const engine of engines) {
    const db = engine.connect();
    for (const found of [await db.list(query), await engine.connect({ how: "join" }).list(query)])
      expect(typeof expected === "string" ? found.map(values) : found, engine.name).toStrictEqual(rows);
    expect(await db.count(query), `count, ${engine.name}`).toBe(rows.length);
    expect(await db.exists(query), `exists, ${engine.name}`).toBe(true);
  }
}
