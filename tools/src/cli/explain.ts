import type { DialectName, ExplainedStatement } from "gemach";
import pc from "picocolors";
import { openDatabase, type Project, queryNamed } from "../project/index.js";
import { planText } from "./plan-text.js";
import { readableSql } from "./readable.js";
import { coloured } from "./sql-text.js";
import { milliseconds, plural, print, printJson, progress, progressEnds, width, wrapped } from "./terminal.js";

/** Options of the command `explain`. */
export interface ExplainCommand {
  readonly database: string | undefined;
  readonly analyze: boolean;
  readonly verb: "list" | "count" | "exists";
  readonly json: boolean;
}

/** A statement with its plan, as a person reads it. */
function explainedText(one: ExplainedStatement, position: number, dialect: DialectName): string {
  const { origin, select, text, plan, rows, milliseconds: took } = one;
  const figures =
    rows === undefined || took === undefined ? "" : pc.dim(`  ${plural(rows, "row")} in ${milliseconds(took)}`);
  return [
    `${pc.bold(`${position}  ${origin.purpose}`)}${figures}`,
    coloured(readableSql(select ?? text, dialect, width() - 3)).replaceAll(/^/gm, "   "),
    "",
    planText(plan, "   "),
  ].join("\n");
}

/** Shows the plans by which a database executes a query. */
export async function explain(project: Project, name: string, options: ExplainCommand): Promise<void> {
  const { database, analyze, verb, json } = options;
  const found = queryNamed(project, name);
  const query = found.query();
  const opened = await openDatabase(project, database);
  try {
    progress(analyze ? `Running ${name} on ${opened.name}` : `Asking ${opened.name} for its plans`);
    const explained = await opened.db.explain(query, { analyze, verb });
    progressEnds();
    if (json) {
      printJson({ query: name, database: opened.name, statements: explained });
      return;
    }
    const { engine, name: dialect, explain: rules } = opened.db.dialect;
    print(`${pc.bold(name)} ${pc.dim(`${found.file}:${found.line} · ${opened.name} (${engine}) · ${verb}`)}`);
    explained.forEach((one, i) => {
      print(`\n${explainedText(one, i + 1, dialect)}`);
    });
    if (!analyze)
      print(wrapped(pc.dim("\n--analyze runs the statements, and shows rows and times beside what was expected.")));
    else if (!rules.measures)
      print(pc.dim(`\n${engine} measures no single steps: rows and times are those of whole statements.`));
  } finally {
    await opened.close();
  }
}
