import pc from "picocolors";
import { adoptDatabase, type Project } from "../project/index.js";
import { plural, print, printJson, progress, progressEnds, wrapped } from "./terminal.js";

/** How a database is adopted. */
export interface AdoptCommand {
  readonly database: string | undefined;
  readonly url: string | undefined;
  readonly schemas: readonly string[];
  readonly out: string | undefined;
  readonly name: string | undefined;
  readonly guess: boolean;
  readonly perSchema: boolean;
  readonly start: boolean;
  readonly dryRun: boolean;
  readonly json: boolean;
}

/** How many remarks are shown. */
const mostRemarks = 12;

const signs = { "+": pc.green("+"), "-": pc.red("-"), "~": pc.yellow("~") } as const;

/** A project of nothing but a database. */
export const projectOf = (url: string): Project => ({
  ...{ folder: process.cwd(), queries: [], leftOut: [], model: undefined },
  settings: { databases: { adopted: url } },
});

/** Makes a model of a database, or shows what differs from the one that there is. */
export async function adopt(project: Project, options: AdoptCommand): Promise<void> {
  const { database, schemas, out, name, guess, perSchema, start, dryRun, json } = options;
  const done = await adoptDatabase(project, {
    ...{
      database,
      schemas,
      out,
      name,
      guesses: guess,
      isPerSchema: perSchema,
      skipsStart: !start,
      isDry: dryRun,
      progress,
    },
  });
  progressEnds();
  const { adoption, guesses, written, differences, file } = done;
  const { tables, remarks, source } = adoption;
  const told = guesses.map(({ table, key, keys, leading }) => ({
    ...{ from: `${table.table}.${key.columns[0]}`, to: `${key.target.table}.${key.targetColumns[0]}`, keys, leading },
  }));
  if (json) {
    printJson({
      file,
      written,
      entities: tables.map(({ adopted }) => adopted.entity),
      guesses: told,
      remarks,
      differences: differences ?? null,
    });
    return;
  }
  if (differences !== undefined) {
    print(`${pc.bold(file)} is there, and stays as it is.`);
    if (differences.length === 0) print("  The database has nothing that it does not have.");
    for (const { sign, lines } of differences)
      for (const [i, line] of lines.entries()) print(`${i === 0 ? signs[sign] : " "} ${line}`);
    return;
  }
  if (dryRun) print(source);
  const relations = tables.reduce((count, table) => count + table.relations.length, 0);
  print(`${pc.bold(plural(tables.length, "entity", "entities"))}, ${plural(relations, "relation")}`);
  for (const { from, to, keys, leading } of told)
    print(
      wrapped(
        `${pc.cyan("guessed")} ${from} → ${to}: ${keys === 0 ? "by its name; there are no rows" : `${new Intl.NumberFormat("en").format(leading)} of ${plural(keys, "key")} lead to a row`}`,
        "  ",
      ),
    );
  for (const remark of remarks.slice(0, mostRemarks)) print(wrapped(`${pc.yellow("!")} ${remark}`, "  "));
  if (remarks.length > mostRemarks)
    print(`  and ${plural(remarks.length - mostRemarks, "remark")} more, where they belong in the module`);
  for (const one of written) print(`${pc.green("wrote")} ${one}`);
}
