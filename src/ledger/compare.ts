import { type AnyDatabase, undone } from "../database/index.js";
import { expectOptions, GemachError } from "../errors/index.js";
import type { LedgerStatement } from "../findings/index.js";
import {
  entitiesAround,
  entitiesRead,
  type Query,
  type ResolvedEntity,
  type Strategy,
  strategies,
} from "../ir/index.js";
import { type IndexDescription, type IndexPart, proposedIndex } from "../model/index.js";
import { forced, stateOf } from "../query/index.js";
import { connectionOf, type ExplainedStatement, sendOwn } from "../run/index.js";
import { createIndexText, qualifiedTable } from "../sql/index.js";
import { ledgerOn } from "./ledger.js";

/** How queries are compared. */
export interface CompareOptions {
  /** The strategies to compare; all of them by default. */
  readonly strategies?: readonly Strategy[];
  /** How often each is run; 9 times by default. */
  readonly rounds?: number;
  /**
   * The way to the server and back that statements are taken to have further, in milliseconds; 0 by default. Those that
   * go out at once have it together.
   */
  readonly latency?: number;
  /**
   * An index that is made for the time of the comparison: the name of the entity, and its columns as in a model's
   * `indexes`.
   */
  readonly index?: { readonly entity: string; readonly on: readonly string[] };
}

/** A query by one strategy. */
export interface ComparedWay {
  readonly strategy: Strategy;
  /** Whether the proposed index was there. */
  readonly hasIndex: boolean;
  /** Strategies that send the very same statements. */
  readonly alike: readonly Strategy[];
  readonly statements: number;
  /** How many of them go out one after the other. */
  readonly trips: number;
  readonly rows: number;
  /** About how many bytes the rows have. */
  readonly bytes: number;
  /** The median of its times, in milliseconds, with what the latency adds. */
  readonly milliseconds: number;
  /** The least and the most of its times. */
  readonly spread: readonly [least: number, most: number];
  readonly explained: readonly ExplainedStatement[];
}

/** The result of a comparison. */
export interface Comparison {
  readonly ways: readonly ComparedWay[];
  readonly latency: number;
  /** Whether all ways gave deeply equal rows. */
  readonly isSame: boolean;
  readonly best: ComparedWay;
  /** The code to write, and why. */
  readonly advice: string;
}

/** Within so much of the best, a way that needs fewer words is as good. */
const asGood = 1.2;

const median = (times: readonly number[]): number => times.toSorted((a, b) => a - b)[Math.floor(times.length / 2)] ?? 0;

/** How many times the way to the server is gone: statements that go out at once go it together. */
function tripsOf(statements: readonly LedgerStatement[], depth = 0): number {
  const own = statements.filter(({ branch = [] }) => branch.length === depth);
  const rest = new Map<number | undefined, LedgerStatement[]>();
  for (const statement of statements) {
    const { branch = [] } = statement;
    if (branch.length === depth) continue;
    const others = rest.get(branch[depth]) ?? [];
    rest.set(branch[depth], [...others, statement]);
  }
  return own.length + Math.max(0, ...[...rest.values()].map((others) => tripsOf(others, depth + 1)));
}

/** How much there is to write for a way: nothing, a strategy, an index, both. */
const effortOf = ({ strategy, alike, hasIndex }: ComparedWay): number =>
  ([strategy, ...alike].includes("auto") ? 0 : 1) + (hasIndex ? 2 : 0);

/** The way that takes least; of those that are as good, the one for which there is least to write. */
function bestOf(ways: readonly ComparedWay[]): ComparedWay {
  const least = Math.min(...ways.map(({ milliseconds }) => milliseconds));
  const good = ways.filter(({ milliseconds }) => milliseconds <= least * asGood);
  return good.toSorted((a, b) => effortOf(a) - effortOf(b) || a.milliseconds - b.milliseconds)[0] as ComparedWay;
}

/** Text that differs where any value does. */
const exact = (rows: unknown): string =>
  JSON.stringify(rows, (_, value) => {
    if (typeof value === "bigint") return `${value}n`;
    return value instanceof Uint8Array ? [...value] : value === undefined ? "undefined!" : value;
  });

interface Candidate {
  readonly strategy: Strategy;
  readonly alike: Strategy[];
  readonly query: Query;
  readonly statements: number;
  readonly trips: number;
  readonly rows: number;
  readonly bytes: number;
  readonly answer: string;
}

/** One of each way: strategies that send the same statements are one. */
async function candidatesOf(db: AnyDatabase, query: Query, wanted: readonly Strategy[]): Promise<readonly Candidate[]> {
  const found = new Map<string, Candidate>();
  for (const strategy of wanted) {
    const one = forced(query, strategy, "compare");
    const { result, statements, totals } = await ledgerOn(db, strategy, () => db.list(one), {});
    const texts = statements.map(({ text }) => text).join("\n");
    const known = found.get(texts);
    if (known !== undefined) known.alike.push(strategy);
    else
      found.set(texts, {
        ...{ strategy, alike: [], query: one, statements: totals.statements, trips: tripsOf(statements) },
        ...{ rows: totals.rows, bytes: totals.bytes, answer: exact(result) },
      });
  }
  return [...found.values()];
}

async function measured(
  db: AnyDatabase,
  candidates: readonly Candidate[],
  rounds: number,
  latency: number,
  hasIndex: boolean,
): Promise<readonly ComparedWay[]> {
  const { clock } = connectionOf(db, "compare");
  const times = candidates.map((): number[] => []);
  // In turn, so that what slows down the machine meanwhile slows down all of them.
  for (let round = 0; round < rounds; round++)
    for (const [i, { query }] of candidates.entries()) {
      const started = clock();
      await db.list(query);
      times[i]?.push(clock() - started);
    }
  const ways: ComparedWay[] = [];
  for (const [i, { strategy, alike, query, statements, trips, rows, bytes }] of candidates.entries()) {
    const own = (times[i] ?? []).map((time) => time + trips * latency);
    ways.push({
      ...{ strategy, hasIndex, alike, statements, trips, rows, bytes },
      milliseconds: median(own),
      spread: [Math.min(...own), Math.max(...own)],
      explained: await db.explain(query),
    });
  }
  return ways;
}

/** What would be best without the latency, where that is another way. */
function withoutLatency(ways: readonly ComparedWay[], best: ComparedWay, latency: number): string {
  if (latency === 0) return "";
  const own = ({ milliseconds, trips }: ComparedWay) => milliseconds - trips * latency;
  const [nearest] = ways.toSorted((a, b) => own(a) - own(b));
  if (nearest === undefined || nearest.strategy === best.strategy || own(best) / own(nearest) < asGood) return "";
  return ` On a database at hand, ${nearest.strategy} would be faster: it sends ${nearest.statements} statements in place of ${best.statements}.`;
}

function adviceOn(ways: readonly ComparedWay[], best: ComparedWay, index: string | undefined): string {
  const usual = ways.find(({ strategy, hasIndex, alike }) => !hasIndex && [strategy, ...alike].includes("auto"));
  const number = (time: number) => time.toFixed(time < 10 ? 2 : 0);
  if (usual === undefined) return `.how("${best.strategy}") took least: ${number(best.milliseconds)} ms.`;
  const factor = usual.milliseconds / best.milliseconds;
  if (best === usual)
    return `Leave it as it is: auto took ${number(usual.milliseconds)} ms, and nothing was faster by more than a fifth.`;
  const how = [best.strategy, ...best.alike].includes("auto") ? "" : `.how("${best.strategy}") of the query`;
  const made = best.hasIndex && index !== undefined ? `the index: ${index}` : "";
  const what = [made, how].filter((part) => part !== "").join("; and ");
  return `Write ${what}. It took ${number(best.milliseconds)} ms in place of ${number(usual.milliseconds)} (${factor.toFixed(1)} times as fast).`;
}

/** Does work with an index that is there only meanwhile. */
async function withIndex<R>(
  db: AnyDatabase,
  entity: ResolvedEntity,
  index: IndexDescription,
  work: (tx: AnyDatabase) => Promise<R>,
): Promise<R> {
  const { dialect } = db;
  return await undone(db, async (tx) => {
    const send = (text: string) => sendOwn(connectionOf(tx, "compare").sender, text, "an index that is tried");
    const table = qualifiedTable(entity, dialect);
    // Where an index would stay, since making one ends a transaction, it is made on a copy that hides the table from
    // this connection.
    const isCopied = dialect.name === "mariadb";
    const copy = qualifiedTable({ ...entity, table: "gemach_compared" }, dialect);
    if (isCopied)
      for (const text of [
        `create temporary table ${copy} like ${table}`,
        `insert into ${copy} select * from ${table}`,
        `alter table ${copy} rename to ${table}`,
      ])
        await send(text);
    try {
      await send(createIndexText(entity, { ...index, name: "gemach_compared_index" }, dialect));
      if (dialect.name !== "sqlite") await send(`analyze ${isCopied ? "table " : ""}${table}`);
      return await work(tx);
    } finally {
      if (isCopied) await send(`drop temporary table ${table}`);
    }
  });
}

/** An entity that a query looks at, or can lead to. */
function entityNamed(query: Query, name: string): ResolvedEntity {
  const known = entitiesAround(entitiesRead(stateOf(query, "compare")));
  const found = known.find((entity) => entity.name === name);
  if (found !== undefined) return found;
  throw new GemachError("NAME_UNKNOWN", { entity: "The model", name, known: known.map((entity) => entity.name) });
}

/** The parts of an index as a model says them: "depotId", "due desc". */
function partsOf(entity: ResolvedEntity, on: readonly string[]): readonly IndexPart[] {
  return on.map((text) => {
    const [path = "", direction] = text.trim().split(/\s+/);
    const column = [...entity.columns.values()].find(({ steps }) => steps.join(".") === path);
    if (column === undefined) {
      const known = [...entity.columns.values()].map(({ steps }) => steps.join("."));
      throw new GemachError("NAME_UNKNOWN", { entity: entity.name, name: path, known });
    }
    return { column, descending: direction?.toLowerCase() === "desc" };
  });
}

/** Compares strategies; see `compare`. */
export async function comparisonOf(db: AnyDatabase, query: Query, options: CompareOptions): Promise<Comparison> {
  expectOptions("compare", options, ["strategies", "rounds", "latency", "index"]);
  const { strategies: wanted = strategies, rounds = 9, latency = 0, index } = options;
  stateOf(query, "compare");
  const candidates = await candidatesOf(db, query, wanted);
  let ways = await measured(db, candidates, rounds, latency, false);
  let isSame = candidates.every(({ answer }) => answer === candidates[0]?.answer);
  let ddl: string | undefined;
  if (index !== undefined) {
    const entity = entityNamed(query, index.entity);
    const proposed = proposedIndex(entity, partsOf(entity, index.on));
    ddl = createIndexText(entity, proposed, db.dialect);
    const others = await withIndex(db, entity, proposed, async (tx) => {
      const own = await candidatesOf(tx, query, wanted);
      isSame &&= own.every(({ answer }) => answer === candidates[0]?.answer);
      return await measured(tx, own, rounds, latency, true);
    });
    ways = [...ways, ...others];
  }
  const best = bestOf(ways);
  const advice = adviceOn(ways, best, ddl) + withoutLatency(ways, best, latency);
  return { ways, latency, isSame, best, advice };
}
