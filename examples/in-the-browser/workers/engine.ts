import { expose } from "comlink";
import * as gemach from "gemach";
import { dialects } from "gemach/dialects";
import { readableSql } from "gemach-tools/readable";
import { fillLending } from "../lending/fill.js";
import * as lending from "../lending/lending.js";
import { type Opened, openPglite, openSqlite } from "./open.js";
import type { EngineName, Outcome, Sent, Step, Texts, Wrong } from "./outcome.js";

const strategies = ["auto", "join", "batch", "nest"] as const;
const mostRows = 500;

let opened: Opened | undefined;

const wrong = (error: unknown): Wrong => ({ error: error instanceof Error ? error.message : String(error) });

/** What a module that was written in the editor exports. */
function queryOf(code: string): gemach.Query {
  const modules: Readonly<Record<string, unknown>> = { gemach, lending: lending };
  const exported: { default?: unknown } = {};
  const load = (name: string): unknown => {
    if (modules[name] !== undefined) return modules[name];
    throw new Error(`There is no module '${name}' here: import from "gemach" or "lending".`);
  };
  new Function("require", "exports", code)(load, exported);
  if (exported.default === undefined) throw new Error("Nothing is exported. Write: export default from(Item)…");
  return exported.default as gemach.Query;
}

const stepOf = ({ operation, entity, table, index, condition, expectedRows, below }: gemach.PlanStep): Step => {
  const words = [
    ...[operation, entity ?? table, index && `by ${index}`, condition && `where ${condition}`],
    expectedRows !== undefined && `about ${expectedRows} rows`,
  ];
  return { label: words.filter(Boolean).join(" · "), steps: below.map(stepOf) };
};

const sentOf = ({ text, origin, rows, milliseconds }: gemach.LedgerStatement, dialect: gemach.DialectName): Sent => ({
  text: readableSql(text, dialect, 80),
  purpose: origin.purpose,
  rows,
  milliseconds: Math.round(milliseconds * 100) / 100,
});

const engine = {
  /** Opens an engine, and fills it if it is empty; gives what it says of itself. */
  async open(name: EngineName): Promise<{ readonly version: string; readonly isNew: boolean } | Wrong> {
    try {
      await opened?.close();
      opened = undefined;
      opened = await (name === "sqlite" ? openSqlite() : openPglite());
      return { version: opened.version, isNew: await fillLending(opened.db) };
    } catch (error) {
      return wrong(error);
    }
  },

  /** Runs a query. */
  async run(code: string): Promise<Outcome | Wrong> {
    if (opened === undefined) return { error: "No database is open." };
    const { db } = opened;
    try {
      const query = queryOf(code);
      const ledger = await gemach.withLedger(db, "query", () => db.list(query));
      const plans = await db.explain(query);
      return {
        rows: ledger.result.slice(0, mostRows),
        count: ledger.result.length,
        milliseconds: Math.round(ledger.milliseconds * 100) / 100,
        sent: ledger.statements.map((one) => sentOf(one, db.dialect.name)),
        findings: ledger.findings.map(({ kind, evidence, remedy }) => ({ kind, evidence, remedy })),
        plans: plans.map(({ plan, origin }) => ({
          label: origin.purpose,
          steps: plan.below.length > 0 ? plan.below.map(stepOf) : [stepOf(plan)],
        })),
      };
    } catch (error) {
      return wrong(error);
    }
  },

  /** What a query would send, by every strategy and in every dialect; needs no database. */
  texts(code: string): readonly Texts[] | Wrong {
    try {
      const query = queryOf(code);
      return Object.values(dialects).flatMap((dialect) =>
        strategies.map((strategy): Texts => {
          try {
            const found = gemach.preview(query, { dialect, how: strategy });
            return {
              ...{ dialect: dialect.name, strategy },
              statements: found.map(({ purpose, text }) => ({ purpose, text: readableSql(text, dialect.name, 80) })),
            };
          } catch (error) {
            return { dialect: dialect.name, strategy, statements: [], ...wrong(error) };
          }
        }),
      );
    } catch (error) {
      return wrong(error);
    }
  },
};

export type Engine = typeof engine;

expose(engine);
