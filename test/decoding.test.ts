import { expect } from "vitest";
import {
  bigint,
  boolean,
  bytes,
  character,
  choice,
  date,
  double,
  entity,
  epoch,
  from,
  integer,
  isoTimestamp,
  json,
  list,
  localTimestamp,
  model,
  numeric,
  text,
  time,
  timestamp,
  uuid,
  varchar,
} from "../src/index.js";
import { eachEngine, useEngines } from "./support/engines.js";

// Columns of others: any type that an engine has, read as any kind that there is.
const { all } = useEngines(true);

// biome-ignore lint/suspicious/noExplicitAny: columns of every kind in one list
const kinds: Readonly<Record<string, any>> = {
  ...{ integer, bigint, double, numeric: numeric(30, 6), text, varchar: varchar(20), choice: choice("a", "b"), boolean, date, time, timestamp, isoTimestamp },
  ...{ uuid, json: json<unknown>(), bytes, integers: list(integer), texts: list(text), localTimestamp },
  ...{ character: character(8), seconds: epoch("seconds"), grid: list(list(integer.nullable)) },
};

/** What a kind may give: a value of its own, and no other. */
const fits: Readonly<Record<string, (value: unknown) => boolean>> = {
  integer: Number.isSafeInteger,
  bigint: (value) => typeof value === "bigint",
  double: Number.isFinite,
  numeric: (value) => /^-?\d+(\.\d+)?$/.test(String(value)),
  text: (value) => typeof value === "string",
  varchar: (value) => typeof value === "string",
  choice: (value) => value === "a" || value === "b",
  boolean: (value) => typeof value === "boolean",
  date: (value) => /^\d{4}-\d\d-\d\d$/.test(String(value)),
  time: (value) => /^\d\d:\d\d/.test(String(value)),
  timestamp: (value) => value instanceof Date && !Number.isNaN(value.getTime()),
  isoTimestamp: (value) => /^\d{4}-\d\d-\d\dT.*Z$/.test(String(value)),
  uuid: (value) => /^[\da-f-]{36}$/i.test(String(value)),
  json: (value) => value !== undefined,
  bytes: (value) => value instanceof Uint8Array,
  integers: (value) => Array.isArray(value) && value.every(Number.isSafeInteger),
  localTimestamp: (value) => /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d{0,5}[1-9])?$/.test(String(value)),
  character: (value) => typeof value === "string" && !value.endsWith(" "),
  seconds: (value) => value instanceof Date,
  grid: (value) => Array.isArray(value) && value.every((part) => Array.isArray(part) && part.every((one) => one === null || Number.isSafeInteger(one))),
  texts: (value) => Array.isArray(value) && value.every((part) => typeof part === "string"),
};

/** Types of columns, and values of them as SQL. */
const columns: Readonly<Record<string, readonly (readonly [type: string, values: readonly string[]])[]>> = {
  sqlite: [
    [
      "",
      [
        "1",
        "2.5",
        "'x'",
        "'5'",
        "'31/12/1999'",
        "'2026-02-30'",
        "x'00ff'",
        "9007199254740993",
        "'[1,\"a\"]'",
        "'{\"n\":12345678901234567}'",
        "9e999",
        "''",
        "'a'",
        "'1 2'",
      ],
    ],
    ["numeric", ["'7'", "'abc'", "1e30"]],
  ],
  postgres: [
    ["smallint", ["1"]],
    ["bigint", ["9007199254740993"]],
    ["numeric", ["'NaN'", "1.5", "12345678901234567890.123"]],
    ["real", ["'NaN'", "'Infinity'", "0.1"]],
    ["text", ["''", "'a'", "'{1,2}'", "'[1]'", "'{\"n\":12345678901234567}'", "'true'"]],
    ["bpchar(4)", ["'a'"]],
    ["boolean", ["true"]],
    ["date", ["'infinity'", "'2026-02-28'", "'0044-03-15 BC'"]],
    ["time", ["'24:00:00'", "'08:30'"]],
    ["timestamptz", ["'infinity'", "'2026-05-01 08:30:00.123456+02'", "'0044-03-15 00:00:00+00 BC'"]],
    ["timestamp", ["'2026-05-01 08:30:00'"]],
    ["interval", ["'1 day'"]],
    ["inet", ["'10.0.0.1'"]],
    ["int2vector", ["'1 2'"]],
    ["integer[]", ["'{1,null}'", "'{{1,2},{3,4}}'", "'{}'"]],
    ["text[]", ["'{a,\"b,c\"}'"]],
    ["jsonb", ["'{\"n\": 12345678901234567}'", "'null'", "'[1]'"]],
    ["bytea", ["'\\x00ff'"]],
    ["uuid", ["'0189c3a0-0000-7000-8000-000000000001'"]],
    ["money", ["12"]],
    ["bit(3)", ["B'101'"]],
  ],
  mariadb: [
    ["tinyint", ["2", "1"]],
    ["bigint unsigned", ["18446744073709551615"]],
    ["decimal(20,3)", ["1.500"]],
    ["double", ["1e300"]],
    ["varchar(40)", ["''", "'a'", "'31/12/1999'", "'[1]'", "'[1,\"a\"]'", "'5'"]],
    ["blob", ["x'00ff'", "'a'"]],
    ["date", ["'2026-02-28'"]],
    ["time", ["'838:59:59'", "'08:30'"]],
    ["datetime(6)", ["'2026-05-01 08:30:00.123456'"]],
    ["timestamp", ["'2026-05-01 08:30:00'"]],
    ["year", ["2026"]],
    ["bit(3)", ["b'101'"]],
    ["enum('a','c')", ["'c'", "'a'"]],
    ["set('a','b')", ["'a,b'"]],
    ["json", ["'{\"n\": 12345678901234567}'", "'[1]'"]],
    ["uuid", ["'0189c3a0-0000-7000-8000-000000000001'"]],
    ["inet6", ["'::1'"]],
  ],
};

const refusals: readonly unknown[] = ["VALUE_UNREADABLE", "VALUE_LOSSY"];

eachEngine(all, "each kind reads from each type of column a value of its own, or refuses it by name", async (db, engine) => {
  const name = engine.name.replace("node-", "").replace("pglite", "postgres");
  for (const [type, values] of columns[name] ?? [])
    for (const literal of values) {
      await engine.execute(`create table odd (id integer primary key, part ${type})`);
      await engine.execute(`insert into odd values (7, ${literal})`);
      for (const [kind, column] of Object.entries(kinds)) {
        const { Odd } = model({ Odd: entity("odd", { id: integer.key, part: column }) });
        for (const query of [from(Odd), from(Odd).limit(1)]) {
          const found = await db.list(query).then(
            ([row]) =>
              (fits[kind] as (value: unknown) => boolean)((row as { part: unknown }).part)
                ? "fits"
                : `${kind} of ${type} ${literal}: ${String((row as { part: unknown }).part)}`,
            (error) => (refusals.includes(error.code) && error.names.column === "Odd.part" && error.names.key === "id 7" ? "refused" : error),
          );
          expect(["fits", "refused"], `${engine.name}, ${kind} of ${type} ${literal}: ${found}`).toContain(found);
        }
      }
      await engine.execute("drop table odd");
    }
});
