import Table from "cli-table3";
import { type ComparedWay, type Comparison, compare } from "gemach";
import pc from "picocolors";
import { openDatabase, type Project, queryNamed } from "../project/index.js";
import { planText } from "./plan-text.js";
import { milliseconds, plural, print, printJson, progress, progressEnds, width, wrapped } from "./terminal.js";

/** How a query is compared. */
export interface CompareCommand {
  readonly database: string | undefined;
  readonly rounds: number;
  /** Milliseconds. */
  readonly latency: number;
  /** "Loan: due desc, id" */
  readonly index: string | undefined;
  readonly plans: boolean;
  readonly json: boolean;
}

const number = new Intl.NumberFormat("en");

const nameOf = ({ strategy, alike, hasIndex }: ComparedWay): string =>
  `${[strategy, ...alike].join(", ")}${hasIndex ? ", with the index" : ""}`;

/** Ways side by side, the best one marked. */
function tableText({ ways, best }: Comparison): string {
  // A narrow terminal shows no spread.
  const isWide = width() >= 96;
  const table = new Table({
    head: ["strategy", "statements", "rows", "bytes", "time", ...(isWide ? ["least to most"] : [])],
    colAligns: ["left", "right", "right", "right", "right", "right"],
    style: { head: [], border: [], compact: true },
  });
  for (const way of ways) {
    const mark = (text: string) => (way === best ? pc.green(text) : text);
    table.push([
      mark(nameOf(way)),
      number.format(way.statements),
      number.format(way.rows),
      number.format(way.bytes),
      mark(milliseconds(way.milliseconds)),
      ...(isWide ? [`${milliseconds(way.spread[0])} to ${milliseconds(way.spread[1])}`] : []),
    ]);
  }
  return table.toString();
}

/** Runs a query by every strategy, and shows what that costs. */
export async function compareQuery(project: Project, name: string, options: CompareCommand): Promise<void> {
  const { database, rounds, latency, index, plans, json } = options;
  const found = queryNamed(project, name);
  const query = found.query();
  const [entity, columns] = index?.split(":") ?? [];
  const on = (columns ?? "").split(",").map((one) => one.trim());
  const proposed = entity === undefined ? {} : { index: { entity: entity.trim(), on } };
  const opened = await openDatabase(project, database);
  try {
    progress(`Running ${name} on ${opened.name}, ${plural(rounds, "time")} by each strategy`);
    const comparison = await compare(opened.db, query, { rounds, latency, ...proposed });
    progressEnds();
    if (json) {
      printJson({ query: name, database: opened.name, ...comparison });
      return;
    }
    const distance = latency === 0 ? "" : ` · ${latency} ms further to the server, for each statement`;
    print(
      `${pc.bold(name)} ${pc.dim(`${found.file}:${found.line} · ${opened.name} (${opened.db.dialect.engine})${distance}`)}`,
    );
    print(tableText(comparison));
    print(
      comparison.isSame
        ? "All ways gave deeply equal rows. Times are medians."
        : pc.red("The ways gave different rows! Please report this."),
    );
    if (plans)
      for (const way of comparison.ways) {
        print(`\n${pc.bold(nameOf(way))}`);
        for (const { origin, plan } of way.explained) print(`   ${origin.purpose}\n${planText(plan, "   ")}`);
      }
    print(wrapped(pc.green(comparison.advice)));
    if (!comparison.isSame) process.exitCode = 1;
  } finally {
    await opened.close();
  }
}
