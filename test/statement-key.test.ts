import pg from "pg";
import { expect, test } from "vitest";
import { postgres } from "../src/drivers/postgres.js";
import { and, entity, firstOf, from, identity, integer, model, or, type Query, scalar } from "../src/index.js";
import type { QueryState } from "../src/ir/index.js";
import { planList } from "../src/plan/index.js";
import { stateOf } from "../src/query/index.js";
import { Compiler } from "../src/run/cache/compiler.js";
import { withoutValues } from "../src/run/cache/holes.js";
import { keyOfQuery } from "../src/run/cache/key.js";
import { Trie } from "../src/run/cache/trie.js";
import type { CompiledStatement } from "../src/sql/index.js";
import { lending } from "../tools/src/demo/index.js";
import { queries } from "./support/society-queries.js";

// Queries of one key share a statement. So whatever is changed of a query, but for its values, must give it another key, unless what is sent
// and what is made of the answer are the same. Every member of every query is changed here, to whatever other queries have in its place.

const { Category, Item, Loan, Member, Repair } = lending;
const { dialect } = postgres(new pg.Pool());
const compiler = new Compiler(dialect, { how: "auto", generateCode: false, isTrusting: false, roundTrip: 0 });

const { Box } = model({
  Box: entity(
    "box",
    { id: identity, size: integer, gone: integer.nullable },
    {},
    { standing: { present: { column: "gone", is: null }, small: { column: "size", is: 1 } } },
  ),
});

const samples: readonly Query[] = [
  from(Box).where((b) => b.size.above(0)),
  from(Box).lift("present"),
  from(Box).lift("small").columns("id"),
  from(Item).select((i) => ({
    a: firstOf(
      from(Loan)
        .where((l) => l.itemId.is(i.id))
        .orderBy((l) => l.due.desc)
        .select((l) => l.due),
    ),
    b: scalar(
      from(Loan)
        .where((l) => l.itemId.is(i.id))
        .totals((g) => g.max((l) => l.due)),
    ),
  })),
  from(Item).where((i) => i.openLoans.count().above(1)),
  from(Item).where((i) => i.loans.exists()),
  from(Category).reach({ children: (c) => c.deep(2) }),
  ...Object.values(queries),
  from(Loan)
    .where((l) => l.due.above("2026-01-01"))
    .lock("update"),
  from(Loan)
    .where((l) => l.due.above("2026-01-01"))
    .lock("share", "skip locked"),
  from(Item).columns("id", "name").plannedAnew(),
  from(Item).columns("note", "depotId").how("batch").reach({ loans: true }),
  from(Member).reach({ sponsored: (s) => s.deep(3) }),
  from(Item).reach({ loans: (l) => l.counted() }),
  from(Item).where((i) => i.loans.offset(1).limit(2).exists()),
  from(Item).select((i) => ({
    text: i.loans.joined(
      (l) => l.borrower.name,
      ", ",
      (l) => l.due.desc,
    ),
    days: i.loans.countDistinct((l) => l.due),
  })),
  from(Repair)
    .groupBy((r) => r.itemId)
    .select((g) => ({ a: g.percentile((r) => r.cost, 0.5), b: g.stddev((r) => r.cost), c: g.stddev((r) => r.cost, "population") })),
  from(Member)
    .where((m) => or(m.name.is("a"), and(m.blocked, m.sponsorId.isNot(null))))
    .orderBy((m) => m.sponsorId.asc.nullsLast),
];

/** No part of a query that a program could change, or of the model's own. */
const whole = new Set(["entity", "source", "past", "given", "cursor", "outside", "accepted", "codec", "type", "mayBeMissing"]);
/** What the model has: another one of the same place in the model may stand there. */
const places: Readonly<Record<string, (of: Any) => string>> = {
  column: ({ entity, kind }) => `${entity} ${kind}`,
  step: ({ source, target }) => `${source.name} ${target.name}`,
  steps: ({ source, target }) => `${source.name} ${target.name}`,
  relation: ({ source, target }) => `${source.name} ${target.name}`,
};
// biome-ignore lint/suspicious/noExplicitAny: the test changes whatever a query is made of
type Any = any;

/** What stands in members of one name, in any query. */
const pool = new Map<string, Map<unknown, unknown>>();
const isPlain = (value: unknown): value is Record<string, unknown> => typeof value === "object" && value !== null;
function collect(value: unknown, member: string): void {
  if (whole.has(member)) return;
  if (isPlain(value) && (Array.isArray(value) || places[member] === undefined)) {
    for (const [name, part] of Object.entries(value)) collect(part, Array.isArray(value) ? member : name);
    return;
  }
  const known = pool.get(member) ?? new Map<unknown, unknown>();
  pool.set(member, known.set(isPlain(value) ? value : `${typeof value} ${String(value)}`, value));
}

/** Each form of a value in which one thing is another. */
function* variants(value: unknown, member: string): Iterable<unknown> {
  if (whole.has(member)) return;
  if (Array.isArray(value)) {
    if (value.length > 0) yield value.slice(1);
    if (value.length > 0) yield [...value, value[0]];
    for (const [i, part] of value.entries()) for (const other of variants(part, member)) yield value.with(i, other);
    return;
  }
  const place = places[member];
  if (isPlain(value) && place === undefined) {
    for (const [name, part] of Object.entries(value)) for (const other of variants(part, name)) yield { ...value, [name]: other };
    return;
  }
  for (const other of [...(typeof value === "string" ? [undefined] : []), ...(pool.get(member)?.values() ?? [])])
    if (other !== value && (place === undefined || other === undefined || (isPlain(other) && place(other) === place(value)))) yield other;
}

/** Statements and what their answers become, as text; entities and rows by their names, since they are no plain data. */
function sentOf(state: QueryState, values: Parameters<typeof withoutValues>[1]): string {
  const told = (name: string, part: unknown): unknown => {
    if (["entity", "source", "target", "column", "step", "steps", "relation", "query", "past"].includes(name)) return undefined;
    if (part instanceof Map) return [...part.keys()].map(String);
    return typeof part === "bigint" ? `${part}n` : part;
  };
  const partsOf = ({ text, parameters, plan, followUps }: CompiledStatement): unknown => [text, parameters, plan, ...[...followUps.values()].map(partsOf)];
  return JSON.stringify(partsOf(compiler.fresh(withoutValues(state, values), planList)), told);
}

test("a query that differs from another in more than values has another key, or is sent alike", () => {
  const states = samples.map((query) => stateOf(query, "list"));
  for (const state of states) collect(state, "");
  let [keyed, alike, other] = [0, 0, 0];
  for (const state of states) {
    const root = new Trie<unknown>().root;
    const own = keyOfQuery(root, "list", state);
    if (own === undefined) continue;
    keyed++;
    const sent = sentOf(state, own.values);
    for (const variant of variants(state, "") as Iterable<QueryState>) {
      let key: typeof own | undefined;
      let otherwise: string;
      try {
        key = keyOfQuery(root, "list", variant);
        if (key?.node !== own.node) {
          other++;
          continue;
        }
        alike++;
        otherwise = sentOf(variant, key.values);
      } catch {
        // It is no query that a builder could make.
        continue;
      }
      expect(otherwise).toBe(sent);
    }
  }
  expect([keyed > 50, alike > 500, other > 5000]).toEqual([true, true, true]);
});
