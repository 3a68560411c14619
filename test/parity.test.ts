import Sqlite from "better-sqlite3";
import mysql from "mysql2/promise";
import pg from "pg";
import { expect, inject, test } from "vitest";
import { dialects } from "../src/drivers/dialects.js";
import type { CallName } from "../src/ir/index.js";
import { standardCalls } from "../src/sql/print/calls.js";
import { print } from "../src/sql/print/print.js";
import { selectOver } from "../src/sql/tree/select.js";
import type { Select, SqlExpression } from "../src/sql/tree/tree.js";
import { expressionKinds } from "../src/sql/tree/walk.js";
import { seed } from "./support/seed.js";
import { mariadbUrl, postgresUrl } from "./support/servers.js";

const text = { kind: "text" } as const;
const whole = { kind: "integer" } as const;
const column = (name = "word"): SqlExpression => ({ kind: "column", table: "tool", name });
const table = { kind: "table", schema: undefined, table: "tool", alias: "tool" } as const;
const select: Select = { ...selectOver(table), items: [{ expression: column("id"), alias: undefined }] };
const order = { expression: column(), descending: true, isNullable: true, nulls: "last" } as const;

/** One expression of each kind: the compiler demands a row for a new one. */
const samples: { readonly [K in SqlExpression["kind"]]: Extract<SqlExpression, { kind: K }> } = {
  column: { kind: "column", table: "tool", name: "word" },
  proposed: { kind: "proposed", name: "word" },
  position: { kind: "position", position: 1 },
  parameter: { kind: "parameter", parameter: { kind: "value", value: 1, type: whole, isTyped: true } },
  constant: { kind: "constant", value: true },
  literal: { kind: "literal", value: "it's", type: text },
  binary: { kind: "binary", operator: "<", left: column(), right: column("note") },
  distinct: { kind: "distinct", left: column(), right: column("note") },
  logic: {
    kind: "logic",
    operator: "or",
    items: [
      { kind: "constant", value: true },
      { kind: "isNull", operand: column(), negated: true },
    ],
  },
  not: { kind: "not", item: { kind: "isNull", operand: column(), negated: false } },
  isNull: { kind: "isNull", operand: column(), negated: false },
  isTrue: { kind: "isTrue", item: { kind: "isNull", operand: column(), negated: false }, negated: true },
  inList: { kind: "inList", operand: column("id"), values: [1, 2], type: whole, negated: true },
  inKeys: { kind: "inKeys", operands: [column("id"), column()], types: [whole, text] },
  inRows: { kind: "inRows", operands: [column("id"), column()], types: [whole, text], rows: [[1, "axe"]] },
  call: { kind: "call", call: "length", operands: [column()], type: whole, of: [{ type: text, isNullable: false }] },
  case: { kind: "case", branches: [{ when: { kind: "isNull", operand: column(), negated: true }, value: column() }], otherwise: column("note") },
  like: { kind: "like", operand: column(), pattern: "a%", negated: false },
  aggregate: {
    kind: "aggregate",
    aggregate: "max",
    operand: column(),
    filter: { kind: "isNull", operand: column(), negated: true },
    details: { isDistinct: true, orderBy: [], separator: undefined, fraction: undefined, isOfAll: false },
    type: text,
    of: text,
  },
  exists: { kind: "exists", select, negated: true },
  subquery: { kind: "subquery", select: { ...select, limit: "one" } },
  rowCount: { kind: "rowCount" },
  canonical: { kind: "canonical", item: column(), type: { kind: "numeric", precision: 5, scale: 2 } },
  sortable: { kind: "sortable", item: column(), type: { kind: "numeric", precision: 5, scale: 2 } },
  inSelect: { kind: "inSelect", operands: [column("id")], select, negated: false },
  window: { kind: "window", call: "lag", operands: [column()], partitionBy: [column("note")], orderBy: [order], frame: undefined, type: text, of: text },
  nest: { kind: "nest", items: [{ expression: column(), type: text }], orderBy: [order], limit: 2, offset: 1 },
  raw: { kind: "raw", parts: ["coalesce(", ", '')"], between: [column()] },
};

test.each(Object.entries(dialects))("%s says every kind of expression", (_, dialect) => {
  expect(Object.keys(samples).sort()).toEqual([...expressionKinds].sort());
  for (const [kind, expression] of Object.entries(samples)) {
    const printed = print({ ...select, items: [{ expression, alias: "made" }], orderBy: [order] }, dialect);
    expect(printed.text, kind).toMatch(/^select .+ from .+$/);
    expect(printed.text, kind).not.toContain("undefined");
  }
});

test("every call has one text that engines share, or one on each engine", () => {
  const own = (name: CallName) => Object.values(dialects).filter((dialect) => dialect.text.calls[name] !== undefined).length;
  const names = new Set<CallName>([
    ...(Object.keys(standardCalls) as CallName[]),
    ...Object.values(dialects).flatMap((dialect) => Object.keys(dialect.text.calls) as CallName[]),
  ]);
  const alone = [...names].filter((name) => !(name in standardCalls) && own(name) < Object.keys(dialects).length);
  expect(alone).toEqual([]);
  for (const dialect of Object.values(dialects))
    for (const name of names) {
      const way = { kind: "parameter", parameter: { kind: "value", value: '["part"]', type: { kind: "json" } } } as const;
      const operands = name.startsWith("json") ? [column("note"), way] : [column(), column("note"), column("id")];
      const of = operands.map(() => ({ type: text, isNullable: true }));
      const { text: printed } = print(
        { ...select, items: [{ expression: { kind: "call", call: name, operands, type: text, of }, alias: undefined }] },
        dialect,
      );
      expect(printed, `${dialect.name} ${name}`).toMatch(/^select .+ from tool$/);
    }
});

/** Words that an engine, or the standard, may reserve; what its own catalogue lists is added. */
const someWords = "select order group user table value year member end id name due left offset window returning desc".split(" ");

/** Statements in which a name stands in every place where the library puts names. */
const uses = (name: string): readonly string[] => [
  `create table ${name} (${name} integer not null, other integer)`,
  `create index ${name.replace(/^(["`]?)/, "$1i_")} on ${name} (other)`,
  `insert into ${name} (${name}) values (1)`,
  `select ${name}.${name}, ${name}.other as ${name} from ${name} as ${name} where ${name}.${name} = 1 group by ${name}.${name}, ${name}.other order by ${name}.${name}`,
  `with ${name} (${name}) as (select 1) select ${name}.${name} from ${name}`,
  `update ${name} set ${name} = 2 where ${name}.${name} = 3`,
  `delete from ${name} where ${name}.${name} = 3`,
  `drop table ${name}`,
];

/** Names that an engine refuses as the dialect writes them. */
async function refused(words: readonly string[], quote: (name: string) => string, run: (text: string) => unknown): Promise<readonly string[]> {
  const found: string[] = [];
  const all = [...new Set(words.filter((one) => /^[a-z][a-z0-9_]*$/.test(one)))];
  // All of them in CI, else every fourth, from another one on each time.
  for (const word of all.filter((_, i) => process.env.CI === "true" || i % 4 === seed % 4))
    for (const statement of uses(quote(word)))
      try {
        await run(statement);
      } catch (error) {
        found.push(`${word}: ${(error as Error).message}`);
        break;
      }
  return found;
}

test("names stand without quotes where the engine lets them, and between quotes where it does not", async () => {
  const { quote } = dialects.postgres.text;
  expect(["loan", "due_date", "v2", "Loan", "2nd", "_x", "order", "a b", 'a"b'].map(quote)).toEqual([
    "loan",
    "due_date",
    "v2",
    '"Loan"',
    '"2nd"',
    '"_x"',
    '"order"',
    '"a b"',
    '"a""b"',
  ]);
  const handle = new Sqlite(":memory:");
  const ofSqlite = await refused([...someWords, "index", "isnull", "transaction"], dialects.sqlite.text.quote, (statement) => {
    const prepared = handle.prepare(statement);
    return prepared.reader ? prepared.all() : prepared.run();
  });
  expect(ofSqlite).toEqual([]);
  if (inject("engines").includes("postgres")) {
    const client = new pg.Client({ connectionString: postgresUrl });
    await client.connect();
    await client.query("create temporary table anchor (id integer); set search_path to pg_temp");
    const { rows } = await client.query("select word from pg_get_keywords()");
    expect(rows.length).toBeGreaterThan(400);
    expect(
      await refused(
        rows.map(({ word }) => word as string),
        quote,
        (statement) => client.query(statement),
      ),
    ).toEqual([]);
    await client.end();
  }
  if (inject("engines").includes("mariadb")) {
    const name = `gemach_test_${process.pid}_words`;
    const connection = await mysql.createConnection({ uri: mariadbUrl });
    const [rows] = await connection.query("select lower(word) as word from information_schema.keywords");
    const words = (rows as { word: string }[]).map(({ word }) => word);
    await connection.query(`create database ${name}`);
    await connection.query(`use ${name}`);
    expect(await refused([...someWords, ...words], dialects.mariadb.text.quote, (statement) => connection.query(statement))).toEqual([]);
    await connection.query(`drop database ${name}`);
    await connection.end();
  }
});
