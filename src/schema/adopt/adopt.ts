import { boolean, snakeCase } from "../../columns/index.js";
import { GemachError } from "../../errors/index.js";
import {
  describeTables,
  entitiesOf,
  entity,
  linked,
  model,
  type TableReference,
  tableKey,
  toMany,
  toOne,
} from "../../model/index.js";
import { sql } from "../../query/index.js";
import { type Dialect, layOutAll, type TableLayout } from "../../sql/index.js";
import { tableLabel } from "../compare/change.js";
import { changesBetween } from "../compare/compare.js";
import { type AdoptedEntity, adoptTable, type Evidence } from "./entities.js";
import type { Guess } from "./guess.js";
import { modelSource, schemaSources } from "./modules.js";
import { entityName, freeName } from "./names.js";
import { type Lead, type RelationCode, relationsOf } from "./relations.js";

/** Facts of a database besides its catalogue. */
export interface AdoptFacts {
  readonly evidence?: ReadonlyMap<string, Evidence>;
  readonly guesses?: readonly Guess[];
  /** The name of the model's class; "Tables" by default. */
  readonly name?: string;
}

/** A table that a model has now. */
export interface AdoptedTable {
  readonly adopted: AdoptedEntity;
  readonly relations: readonly RelationCode[];
}

/** A model made of a database. */
export interface Adoption {
  /** The source of the module. */
  readonly source: string;
  /**
   * A module for each schema, by the name of its file without the ending, and one of all of them under the
   * name "", whose own file is called as given, "model" by default.
   */
  readonly sources: (own?: string) => ReadonlyMap<string, string>;
  /** The exports of that module. */
  readonly model: object;
  readonly tables: readonly AdoptedTable[];
  /** Remarks on tables and columns, by their names. */
  readonly remarks: readonly string[];
}

/** The collation that most texts have, where it is not the one by code point. */
function usualCollation(tables: readonly TableLayout[], dialect: Dialect): string | undefined {
  const counts = new Map<string, number>();
  for (const { columns } of tables)
    for (const { collation, type } of columns) {
      const isOwn = dialect.name === "mariadb" && collation?.startsWith("ascii_") === true && /^char\(36\)/.test(type);
      if (!isOwn && (collation !== undefined || dialect.name === "sqlite"))
        counts.set(collation ?? "", (counts.get(collation ?? "") ?? 0) + 1);
    }
  const [most] = [...counts].sort(([, left], [, right]) => right - left);
  const plain = dialect.name === "postgres" ? "C" : dialect.name === "mariadb" ? "utf8mb4_nopad_bin" : "";
  return most === undefined || most[0] === plain ? undefined : most[0];
}

const relationCalls = { toOne, toMany, linked } as const;

// biome-ignore lint/suspicious/noExplicitAny: a model made without types
type Untyped = any;

/** The model of entities in the making. */
function modelOf(tables: readonly AdoptedTable[], collations: Readonly<Record<string, string>>): object {
  const raw = (text: string) => sql(boolean)(Object.assign([text], { raw: [text] }) as TemplateStringsArray);
  const definitions = tables.map(({ adopted, relations }) => {
    const { layout, checks, indexes, isKeyless } = adopted;
    const options = {
      ...(layout.schema === undefined ? {} : { schema: layout.schema }),
      ...(layout.kind === "view" ? { readOnly: true } : {}),
      ...(isKeyless ? { withoutKey: true } : {}),
      ...{ indexes, checks: () => Object.fromEntries(checks.map(({ name, text }) => [name, raw(text)])) },
    };
    const columns = Object.fromEntries(adopted.columns.map(({ property, code }) => [property, code.column]));
    const own = relations.map(({ name, call, target, options: given }) => [
      name,
      (relationCalls[call] as Untyped)(target, given),
    ]);
    return [adopted.entity, (entity as Untyped)(layout.table, columns, Object.fromEntries(own), options)];
  });
  return model(Object.fromEntries(definitions) as Untyped, { columnNames: snakeCase, collations });
}

/** A model without the relations and parts that it refuses, and what it says of these. */
function accepted(given: readonly AdoptedTable[], collations: Readonly<Record<string, string>>, remarks: string[]) {
  let tables = given;
  for (;;)
    try {
      return { tables, model: modelOf(tables, collations) };
    } catch (error) {
      if (!(error instanceof GemachError) || error.code !== "MODEL_INVALID") throw error;
      const mistakes = (error.names as { mistakes: readonly string[] }).mistakes;
      const before = JSON.stringify(tables.map(({ relations }) => relations.map(({ name }) => name)));
      for (const mistake of mistakes) {
        const [, name, relation] = /^(\S+?)\.(\S+?):/.exec(mistake) ?? [];
        if (
          tables.some(
            ({ adopted, relations }) => adopted.entity === name && relations.some((one) => one.name === relation),
          )
        )
          remarks.push(`left out: ${mistake}`);
        tables = tables.map((table) =>
          table.adopted.entity === name
            ? { ...table, relations: table.relations.filter((one) => one.name !== relation) }
            : table,
        );
      }
      if (JSON.stringify(tables.map(({ relations }) => relations.map(({ name }) => name))) === before) throw error;
    }
}

/** Columns whose default comes back in other words than it was written: these are the table's own. */
function ownDefaults(tables: readonly AdoptedTable[], made: object, dialect: Dialect): ReadonlySet<string> {
  const wanted = layOutAll(describeTables(entitiesOf(made as never)), dialect).map(({ table }) => table);
  const found = tables.map(({ adopted }) => adopted.layout);
  return new Set(
    changesBetween(found, wanted, dialect.name).flatMap((change) =>
      change.kind === "change column" && change.facts.includes("default")
        ? [columnKey(change.table, change.to.name)]
        : [],
    ),
  );
}

const columnKey = (table: TableReference, column: string): string => `${tableKey(table)} ${column}`;

/**
 * A model of tables that a database has: relations in both directions, names in the convention of code, and what tables
 * do not say in words of a model as remarks. What no model has words for is left to the database.
 */
export function adoptTables(tables: readonly TableLayout[], dialect: Dialect, facts: AdoptFacts = {}): Adoption {
  const { evidence = new Map(), guesses = [], name = "Tables" } = facts;
  const usual = usualCollation(tables, dialect);
  const collations = usual === undefined ? {} : { [dialect.name]: usual };
  const remarks: string[] = [];
  const make = (isOwnDefault: (table: TableReference, column: string) => boolean) => {
    const taken = new Set<string>();
    const adopted = tables.map((table) => {
      const plain = entityName(table.table);
      const own = freeName(plain, taken, `${entityName(table.schema ?? "own")}${plain}`);
      taken.add(own);
      const known = evidence.get(tableKey(table)) ?? new Map();
      return adoptTable(table, own, {
        dialect,
        usual,
        evidence: known,
        isOwnDefault: (column) => isOwnDefault(table, column),
      });
    });
    const leadsOf = ({ layout }: Pick<AdoptedEntity, "layout">): readonly Lead[] => [
      ...layout.foreignKeys.map((key) => ({ key, isGuess: false })),
      ...guesses.filter(({ table }) => tableKey(table) === tableKey(layout)),
    ];
    const relations = relationsOf(adopted, leadsOf);
    remarks.length = 0;
    return accepted(
      adopted.map((one) => ({ adopted: one, relations: relations.get(one) ?? [] })),
      collations,
      remarks,
    );
  };
  const first = make(() => false);
  const own = ownDefaults(first.tables, first.model, dialect);
  const made = own.size === 0 ? first : make((table, column) => own.has(columnKey(table, column)));
  for (const { adopted: one } of made.tables) {
    for (const remark of one.remarks) remarks.push(`${tableLabel(one.layout)}: ${remark}`);
    for (const { column, code } of one.columns)
      for (const remark of code.remarks) remarks.push(`${tableLabel(one.layout)}.${column}: ${remark}`);
  }
  const head = [
    `Adopted from ${dialect.engine}. It is yours to change: a further \`gemach adopt\` shows what differs, and writes nothing over it.`,
  ];
  return {
    source: modelSource(made.tables, name, collations, head),
    sources: (own = "model") => schemaSources(made.tables, name, collations, head, own),
    model: made.model,
    tables: made.tables,
    remarks,
  };
}
