import { preview } from "gemach";
import pc from "picocolors";
import { type Project, schemesOf } from "../project/index.js";
import { dialectFor } from "./dialect-for.js";
import { aligned, plural, print, printJson, wrapped } from "./terminal.js";

/** The functions that nobody has called. */
export function leftOutText({ leftOut }: Pick<Project, "leftOut">): string {
  const places = leftOut.map(({ name, file, line }) => `${name} (${file}:${line})`).join(", ");
  const count = plural(leftOut.length, "function");
  const first = leftOut[0]?.name ?? "";
  return wrapped(
    pc.dim(
      `Left out, and not called: ${count} that the settings' samples do not name: ${places}. To look at one, name its arguments: samples: { ${first}: [] }.`,
    ),
  );
}

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
    printJson([...rows, ...project.leftOut.map((one) => ({ ...one, purpose: "", statements: 0, leftOut: true }))]);
    return;
  }
  if (rows.length === 0 && project.leftOut.length > 0) {
    print(leftOutText(project));
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
  if (project.leftOut.length > 0) print(`\n${leftOutText(project)}`);
}
