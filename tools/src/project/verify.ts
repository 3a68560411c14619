import { type Database, type Dialect, GemachError } from "gemach";
import { type Change, changeLabel, changesBetween, type Migration, readTables } from "gemach/schema";
import {
  connectionOf,
  journalIn,
  labelOf,
  qualifiedTable,
  sendOwn,
  statusOf,
  type TableLayout,
  tableKey,
  tableLabel,
} from "gemach/tooling";
import { tablesOfMigrations } from "./draft.js";
import { entitiesIn, schemasOf, tablesOfModel } from "./entities.js";
import type { Project } from "./load.js";
import { migrationsOf } from "./migration-folder.js";
import { openDatabase } from "./open.js";

/** One thing that is not as it is to be, and what to do about it. */
export interface Difference {
  readonly kind: "database" | "migrations" | "pending" | "journal" | "trusted" | "unchecked";
  readonly database: string;
  readonly what: string;
  readonly remedy: string;
}

/** What was verified. */
export interface Verification {
  readonly databases: readonly { readonly name: string; readonly tables: number; readonly migrations: number }[];
  readonly differences: readonly Difference[];
}

/** How a project is verified. */
export interface VerifyOptions {
  readonly databases?: readonly string[];
  /** Whether the migrations are not to be tried on an empty database. */
  readonly skipsMigrations?: boolean;
  readonly progress?: (what: string) => void;
}

/** What the migrations do not do. */
const lackOf = (change: Change): string => `the migrations do not lead to the model: ${changeLabel(change)}`;

/** What a remedy for a difference is. */
const remedyOf = (change: Change): string =>
  change.kind.startsWith("drop")
    ? "take it into the model, or let `gemach draft` drop it"
    : "`gemach draft <name>`, then `gemach apply`; or say in the model what the table has";

/** Relations whose constraint the model takes for granted, and the database has not. */
async function untrue(
  project: Project,
  db: Database,
  name: string,
  found: readonly TableLayout[],
): Promise<readonly Difference[]> {
  const tables = new Map(found.map((table) => [tableKey(table), table]));
  const differences: Difference[] = [];
  const { sender, dialect } = connectionOf(db, "verify");
  const { quote } = dialect.text;
  for (const entity of entitiesIn(project))
    for (const { name: relation, steps } of entity.relations.values()) {
      const [step, ...more] = steps;
      if (more.length > 0 || step.holder !== "source" || !step.isTrusted) continue;
      const columns = JSON.stringify(step.pairs.map(({ from }) => from.name));
      const keys = tables.get(tableKey(entity))?.foreignKeys ?? [];
      if (keys.some((key) => JSON.stringify(key.columns) === columns && tableKey(key.target) === tableKey(step.target)))
        continue;
      const held = step.pairs.map(({ from }) => `held.${quote(from.name)} is not null`).join(" and ");
      const pairs = step.pairs
        .map(({ from, to }) => `target.${quote(to.name)} = held.${quote(from.name)}`)
        .join(" and ");
      const query = `select count(*) from ${qualifiedTable(entity, dialect)} as held where ${held} and not exists (select 1 from ${qualifiedTable(step.target, dialect)} as target where ${pairs})`;
      const [row] = await sendOwn(sender, query, "rows that lead nowhere");
      const broken = Number(row?.[0]);
      differences.push({
        ...({ kind: "trusted", database: name } as const),
        what: `${entity.name}.${relation} trusts a foreign key that ${tableLabel(entity)} has not${broken === 0 ? "; no row breaks it yet" : `: ${broken} ${broken === 1 ? "row leads" : "rows lead"} nowhere`}`,
        remedy:
          broken === 0
            ? 'add the constraint, or leave out constraint: "trusted"'
            : `see them: ${query.replace("count(*)", "held.*")}`,
      });
    }
  return differences;
}

/** Where migrations and what a database has run are not the same. */
async function journalDifferences(
  db: Database,
  name: string,
  migrations: readonly Migration[],
): Promise<readonly Difference[]> {
  const entries = await journalIn(db);
  const of = (kind: Difference["kind"], what: string, remedy: string): Difference => ({
    kind,
    database: name,
    what,
    remedy,
  });
  try {
    const statuses = await statusOf(migrations, entries);
    const double = statuses.flatMap(({ migration }, i) => {
      const other = statuses[i + 1]?.migration;
      return other?.number === migration.number && [statuses[i]?.state, statuses[i + 1]?.state].includes("pending")
        ? [
            of(
              "journal",
              `${labelOf(migration)} and ${labelOf(other)} have one number: two branches drafted them, and neither knows the other`,
              "if they fit together, give the later one the next number; else draft it anew",
            ),
          ]
        : [];
    });
    const waiting = statuses
      .filter(({ state }) => state !== "done")
      .map(({ migration, state, entry }) =>
        state === "begun"
          ? of(
              "pending",
              `${labelOf(migration)} was stopped in the middle`,
              entry !== undefined && entry.done < 0
                ? "`gemach apply --undo` goes on from there"
                : "`gemach apply` goes on from there",
            )
          : of("pending", `${labelOf(migration)} is pending`, "`gemach apply`"),
      );
    return [...double, ...waiting];
  } catch (error) {
    if (!(error instanceof GemachError)) throw error;
    const [first = "", ...rest] = error.message.split("\n");
    return [of("journal", [first, ...rest.slice(0, -1)].join("\n"), rest.at(-1) ?? "")];
  }
}

/** What the model has and the migrations do not make, or the other way round. */
async function migrationDifferences(
  project: Project,
  name: string,
  dialect: Dialect,
  wanted: readonly TableLayout[],
): Promise<readonly Difference[]> {
  try {
    const made = await tablesOfMigrations(project, name, dialect.name, schemasOf(wanted));
    return changesBetween(made, wanted, dialect.name).map((change) => ({
      ...({ kind: "migrations", database: name } as const),
      what: lackOf(change),
      remedy: "`gemach draft <name>`",
    }));
  } catch (error) {
    if (!(error instanceof GemachError)) throw error;
    const [first = "", ...rest] = error.message.split("\n");
    return error.code === "SCRATCH_UNABLE"
      ? [
          {
            kind: "unchecked",
            database: name,
            what: `the migrations were not tried: ${first}`,
            remedy: rest.at(-1) ?? "",
          },
        ]
      : [{ kind: "migrations", database: name, what: `on an empty database: ${first}`, remedy: rest.at(-1) ?? "" }];
  }
}

/** Compares a project's model, its migrations and its databases with each other. */
export async function verifyProject(project: Project, options: VerifyOptions = {}): Promise<Verification> {
  const differences: Difference[] = [];
  const databases: { name: string; tables: number; migrations: number }[] = [];
  const tried = new Map<string, readonly Difference[]>();
  for (const name of options.databases ?? Object.keys(project.settings.databases)) {
    const { db, close } = await openDatabase(project, name);
    try {
      const { dialect } = db;
      options.progress?.(`${name}: reading`);
      const wanted = tablesOfModel(project, dialect);
      const migrations = await migrationsOf(project, dialect.name);
      const found = await readTables(db, schemasOf(wanted));
      const known = new Set(wanted.map(tableKey));
      databases.push({ name, tables: wanted.length, migrations: migrations.length });
      const journal = migrations.length > 0 ? await journalDifferences(db, name, migrations) : [];
      differences.push(...journal);
      if (migrations.length > 0 && options.skipsMigrations !== true && !tried.has(dialect.name)) {
        options.progress?.(`${name}: trying the migrations on an empty database`);
        tried.set(dialect.name, await migrationDifferences(project, name, dialect, wanted));
        differences.push(...(tried.get(dialect.name) ?? []));
      }
      // What is pending closes the differences that there are, where it leads to the model.
      const isClosing = journal.some(({ kind }) => kind === "pending") && tried.get(dialect.name)?.length === 0;
      // Tables that the model does not have are somebody else's.
      const own = found.filter((table) => known.has(tableKey(table)));
      // What the migrations lack, the database lacks as well.
      const isKnown = new Set(tried.get(dialect.name)?.map(({ what }) => what));
      for (const change of isClosing ? [] : changesBetween(own, wanted, dialect.name))
        if (!isKnown.has(lackOf(change)))
          differences.push({ kind: "database", database: name, what: changeLabel(change), remedy: remedyOf(change) });
      differences.push(...(await untrue(project, db, name, found)));
    } finally {
      await close();
    }
  }
  return { databases, differences };
}
