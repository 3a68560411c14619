import { preview, type Severity } from "gemach";
import {
  type FoundIndex,
  openAmong,
  type ResolvedEntity,
  readIndexes,
  readStatements,
  readUnusedIndexes,
  relationsRead,
  stateIn,
} from "gemach/tooling";
import { entitiesIn } from "./entities.js";
import type { Project } from "./load.js";
import { openDatabase } from "./open.js";

/** A remark on a model, or on its tables. */
export interface ModelAdvice {
  readonly kind:
    | "unindexed-key"
    | "covered-index"
    | "unused-index"
    | "unreached-relation"
    | "server-statement"
    | "open-entity";
  readonly severity: Severity;
  readonly evidence: string;
  readonly remedy: string;
  /** The database that it was seen on; undefined where the model alone tells. */
  readonly database: string | undefined;
}

const beginsWith = (columns: readonly string[], wanted: readonly string[]): boolean =>
  wanted.every((name) => columns.slice(0, wanted.length).includes(name));

/** Keys of other entities that no index begins with: each step down, and each deletion above, reads the whole table. */
function unindexedKeys(
  entities: readonly ResolvedEntity[],
  indexes: readonly FoundIndex[],
  database: string,
): readonly ModelAdvice[] {
  return entities.flatMap((entity) =>
    [...entity.relations.values()].flatMap(({ name, steps: [step, ...more] }): readonly ModelAdvice[] => {
      if (more.length > 0 || step.holder !== "source") return [];
      const columns = step.pairs.map(({ from }) => from.name);
      const own = indexes.filter(({ table, isPartial }) => table === entity.table && !isPartial);
      const key = entity.key.map((column) => column.name);
      if (beginsWith(key, columns) || own.some((index) => beginsWith(index.columns, columns))) return [];
      const on = step.pairs.map(({ from }) => JSON.stringify(from.property)).join(", ");
      return [
        {
          ...({ kind: "unindexed-key", severity: "warning", database } as const),
          evidence: `No index of ${entity.table} begins with ${columns.join(", ")}, the key of ${entity.name}.${name}: whatever is below a row of ${step.target.name} is looked for in the whole table.`,
          remedy: `create index ${[entity.table, ...columns].join("_")} on ${entity.table} (${columns.join(", ")}); createTables makes such an index, or in the model: indexes: [{ on: [${on}] }].`,
        },
      ];
    }),
  );
}

/** Indexes whose columns another one begins with: they cost each write, and give nothing. */
function coveredIndexes(
  indexes: readonly FoundIndex[],
  tables: ReadonlySet<string>,
  database: string,
): readonly ModelAdvice[] {
  return indexes.flatMap((index): readonly ModelAdvice[] => {
    if (!tables.has(index.table) || index.isUnique || index.isPartial) return [];
    const cover = indexes.find(
      (other) =>
        other !== index &&
        other.table === index.table &&
        !other.isPartial &&
        index.columns.every((name, i) => other.columns[i] === name) &&
        (other.columns.length > index.columns.length || other.name < index.name),
    );
    if (cover === undefined) return [];
    return [
      {
        ...({ kind: "covered-index", severity: "note", database } as const),
        evidence: `The index ${index.name} of ${index.table} (${index.columns.join(", ")}) is covered by ${cover.name} (${cover.columns.join(", ")}): it costs each write, and finds nothing that the other does not.`,
        remedy: `drop index ${index.name}; and leave it out of the model.`,
      },
    ];
  });
}

/** Entities that are open to all, below those of which each handle sees its own rows. */
const opened = (entities: readonly ResolvedEntity[]): readonly ModelAdvice[] =>
  openAmong(entities).map(({ entity, path, leadsTo }) => ({
    ...({ kind: "open-entity", severity: "warning", database: undefined } as const),
    evidence: `Rows of ${entity} lead to ${leadsTo} by ${path}, of which each handle sees its own rows alone; those of ${entity} are read and written by all.`,
    remedy: `standing: { own: { through: ${JSON.stringify(path.split(".")[0])} } } in the options of ${entity}; or open: "…", with the reason.`,
  }));

/** Relations that no exported query goes over. */
function unreached(project: Project, entities: readonly ResolvedEntity[]): readonly ModelAdvice[] {
  const used = new Set<string>();
  for (const { query } of project.queries) {
    try {
      const state = stateIn(query());
      if (state !== undefined) for (const name of relationsRead(state)) used.add(name);
    } catch {
      // Without sample values nobody knows.
    }
  }
  return entities.flatMap((entity): readonly ModelAdvice[] => {
    const names = [...entity.relations.keys()].filter((name) => !used.has(`${entity.name}.${name}`));
    if (names.length === 0) return [];
    return [
      {
        ...({ kind: "unreached-relation", severity: "note", database: undefined } as const),
        evidence: `No exported query goes over ${names.map((name) => `${entity.name}.${name}`).join(", ")}.`,
        remedy: "Nothing to do where live entities or other code use them; else leave them out of the model.",
      },
    ];
  });
}

const plainText = (text: string): string =>
  text
    .replaceAll(/[`"\s]+/g, " ")
    .replaceAll(/\$\d+/g, "?")
    .trim()
    .toLowerCase();

/**
 * The project's queries, and what each of their statements is for, by its text as a server's statistics would have it.
 */
function queriesByText(
  project: Project,
  dialect: Parameters<typeof preview>[1]["dialect"],
): ReadonlyMap<string, { readonly name: string; readonly purpose: string }> {
  const texts = new Map<string, { readonly name: string; readonly purpose: string }>();
  for (const { name, query } of project.queries)
    try {
      for (const { text, purpose } of preview(query(), { dialect })) texts.set(plainText(text), { name, purpose });
    } catch {
      // What cannot be previewed is nobody's.
    }
  return texts;
}

/** How many of the statements that a server remembers are told, the longest first. */
const mostRemembered = 10;

const number = new Intl.NumberFormat("en", { maximumFractionDigits: 1 });

/** Checks the model, the indexes of each database, and the statements that servers remember. */
export async function auditModel(project: Project, databases: readonly string[]): Promise<readonly ModelAdvice[]> {
  const entities = entitiesIn(project);
  const tables = new Set(entities.map(({ table }) => table));
  const advice: ModelAdvice[] = [];
  for (const database of databases) {
    const { db, close } = await openDatabase(project, database);
    try {
      const indexes = await readIndexes(db);
      advice.push(...unindexedKeys(entities, indexes, database), ...coveredIndexes(indexes, tables, database));
      for (const { table, index } of await readUnusedIndexes(db))
        if (tables.has(table))
          advice.push({
            ...({ kind: "unused-index", severity: "note", database } as const),
            evidence: `Nothing was looked up by the index ${index} of ${table} since the server's statistics began.`,
            remedy: `Where that is long ago, and every use of the program was among it: drop index ${index}.`,
          });
      const texts = queriesByText(project, db.dialect);
      const remembered = (await readStatements(db)).flatMap((one) => {
        const known = texts.get(plainText(one.statement));
        return known === undefined ? [] : [{ ...one, ...known }];
      });
      for (const { name, purpose, calls, milliseconds, rows } of remembered.slice(0, mostRemembered))
        advice.push({
          ...({ kind: "server-statement", severity: "note", database } as const),
          evidence: `The server remembers ${name}, ${purpose}: ${number.format(calls)} calls, ${number.format(milliseconds)} ms in all, ${number.format(rows)} rows.`,
          remedy: `gemach explain ${name} --database ${database}`,
        });
    } finally {
      await close();
    }
  }
  return [...advice, ...opened(entities), ...unreached(project, entities)];
}
