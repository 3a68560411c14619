import { type PreviewedStatement, preview, type Strategy } from "gemach";
import pc from "picocolors";
import { type Project, queryNamed, schemesOf } from "../project/index.js";
import { dialectFor } from "./dialect-for.js";
import { readableSql } from "./readable.js";
import { coloured } from "./sql-text.js";
import { print, printJson, width, wrapped } from "./terminal.js";

/** How a query's SQL is shown. */
export interface SqlOptions {
  readonly engine: string | undefined;
  readonly how: Strategy;
  readonly verb: "list" | "count" | "exists" | "single";
  readonly json: boolean;
}

const valueText = (value: PreviewedStatement["parameters"][number]): string => {
  if (typeof value === "object" && value !== null && "keysOf" in value)
    return `keys: ${value.keysOf.join(", ")} of statement ${value.statement}`;
  if (typeof value === "object" && value !== null && "parameter" in value) return `the parameter ${value.parameter}`;
  return JSON.stringify(value, (_, part) => (typeof part === "bigint" ? String(part) : part));
};

/** Shows the statements that a query will send, without a database. */
export function sqlOf(project: Project, name: string, { engine, how, verb, json }: SqlOptions): void {
  const found = queryNamed(project, name);
  const dialect = dialectFor(engine ?? schemesOf(project.settings)[0]);
  const query = found.query();
  const options = { dialect, how };
  const statements = verb === "list" ? preview(query, options) : preview[verb](query, options);
  if (json) {
    printJson(statements);
    return;
  }
  print(`${pc.bold(found.name)} ${pc.dim(`${found.file}:${found.line} · ${dialect.engine} · ${verb}`)}`);
  statements.forEach(({ purpose, reaches, text, select, parameters }, i) => {
    print(`\n${pc.bold(`${i + 1}  ${purpose}`)}`);
    for (const { relation, how: way, why } of reaches) print(wrapped(pc.dim(`${relation}: ${way}, ${why}`), "   "));
    print(coloured(readableSql(select ?? text, dialect.name, width() - 3)).replaceAll(/^/gm, "   "));
    if (parameters.length > 0) print(wrapped(pc.dim(`values: ${parameters.map(valueText).join("; ")}`), "   "));
  });
  if (statements.some(({ select }) => select !== undefined))
    print(`\n${pc.dim("Many rows come as one JSON value on SQLite: shown are the selects inside.")}`);
}
