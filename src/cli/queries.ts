import pc from "picocolors";
import { type Project, schemesOf } from "../project/index.js";
import { preview } from "../sql/index.js";
import { dialectFor } from "./dialect-for.js";
import { aligned, print, printJson } from "./terminal.js";

/** Lists the queries that a project exports. */
export function queries(project: Project, { json }: { readonly json: boolean }): void {
  const dialect = dialectFor(schemesOf(project.settings)[0]);
  const rows = project.queries.map(({ name, file, line, query }) => {
    try {
      const statements = preview(query(), { dialect });
      return { name, file, line, purpose: statements[0]?.purpose ?? "", statements: statements.length };
    } catch (error) {
      return {
        name,
        file,
        line,
        purpose: "",
        statements: 0,
        problem: (error as Error).message.split("\n")[0] as string,
      };
    }
  });
  if (json) {
    printJson(rows);
    return;
  }
  if (rows.length === 0) {
    print(
      'The project exports no queries: name the modules that do in its settings, as `queries: ["src/queries.ts"]`.',
    );
    return;
  }
  print(
    aligned([
      ["query", "of", "statements", "where"].map((head) => pc.bold(head)),
      ...rows.map(({ name, file, line, purpose, statements, problem }) => [
        name,
        problem === undefined ? purpose.replace(/^rows of /, "") : pc.red("not to be told"),
        problem === undefined ? String(statements) : "",
        pc.dim(`${file}:${line}`),
      ]),
    ]),
  );
  for (const { name, problem } of rows) if (problem !== undefined) print(`${pc.red(name)}: ${problem}`);
}
