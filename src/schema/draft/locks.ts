import { type TableReference, tableKey } from "../../model/index.js";
import type { DialectName } from "../../sql/index.js";
import { type Change, changeLabel } from "../compare/change.js";
import { typeForm } from "../compare/forms.js";
import { isWider } from "./conversion.js";

/** The access that a change blocks, and for how long; `instead`: the form that does not. */
export interface Block {
  readonly table: TableReference;
  readonly changes: readonly string[];
  readonly effect: string;
  readonly instead: string | undefined;
}

/** What a change does to others, and what would not; undefined where it is done at once, whatever the table's size. */
type Effect = readonly [effect: string, instead?: string] | undefined;

const online = "--online writes it so";

/** Lock modes of PostgreSQL, 13.3.2 of its manual; what scans or rewrites, by ALTER TABLE there. */
function postgresEffect(change: Change): Effect {
  switch (change.kind) {
    case "create index":
    case "add unique":
    case "add primary key":
      return ["nobody writes the table while its index is made", `create it concurrently (${online})`];
    case "add foreign key":
      return [
        "nobody writes either table while all rows are looked at",
        `add it unvalidated, then validate it (${online})`,
      ];
    case "add check":
      return [
        "nobody reads or writes the table while all rows are looked at",
        `add it unvalidated, then validate it (${online})`,
      ];
    case "add column":
      return change.column.computed !== undefined ||
        (change.column.default !== undefined && /\(/.test(change.column.default))
        ? [
            "nobody reads or writes the table while it is written anew",
            "add the column without a default, set the default, and fill it in portions",
          ]
        : undefined;
    case "change column": {
      const { column, to, facts } = change;
      const [before, after] = [typeForm(column.type, "postgres"), typeForm(to.type, "postgres")];
      const isRewritten =
        facts.includes("type") &&
        !(
          isWider(before, after) &&
          /^(?:text|character varying|numeric)/.test(after) &&
          /^(?:text|character varying|numeric)/.test(before)
        );
      if (isRewritten || facts.includes("computation"))
        return [
          "nobody reads or writes the table while it is written anew",
          "add a column beside it, fill that in portions, and drop the old one later",
        ];
      return facts.includes("null") && !to.isNullable
        ? ["nobody reads or writes the table while all rows are looked at", `validate a check first (${online})`]
        : undefined;
    }
    default:
      return undefined;
  }
}

/** What InnoDB copies (mariadb.com/kb/en/innodb-online-ddl-overview). */
function mariadbEffect(change: Change): Effect {
  switch (change.kind) {
    case "add foreign key":
    case "add check":
    case "add primary key":
    case "drop primary key":
      return ["nobody writes the table while it is copied"];
    case "add column":
      return change.column.computed === undefined ? undefined : ["nobody writes the table while it is copied"];
    case "change column":
      return change.facts.some((fact) => fact !== "default")
        ? [
            "nobody writes the table while it is copied",
            "add a column beside it, fill that in portions, and drop the old one later",
          ]
        : undefined;
    default:
      return undefined;
  }
}

const sqliteEffect = (change: Change): Effect =>
  change.kind === "create table" || change.kind === "rename table" || change.kind === "rename column"
    ? undefined
    : ["nobody writes the file until all of the migration is done"];

const effects: Readonly<Record<DialectName, (change: Change) => Effect>> = {
  postgres: postgresEffect,
  mariadb: mariadbEffect,
  sqlite: sqliteEffect,
};

/**
 * What changes keep others from, on tables that there are; `isOnline`: they are what is left where all that can be is
 * done so.
 */
export function blocksOf(changes: readonly Change[], dialect: DialectName, isOnline = false): readonly Block[] {
  const created = new Set(changes.filter(({ kind }) => kind === "create table").map(({ table }) => tableKey(table)));
  const blocks = new Map<string, Block>();
  for (const change of changes) {
    const effect = created.has(tableKey(change.table)) ? undefined : effects[dialect](change);
    if (effect === undefined) continue;
    const { schema, table } = change.table;
    const [what, other] = effect;
    const instead = isOnline && other?.includes(online) === true ? undefined : other;
    const key = JSON.stringify([schema, table, what, instead]);
    const others = blocks.get(key)?.changes ?? [];
    blocks.set(key, { table: { schema, table }, changes: [...others, changeLabel(change)], effect: what, instead });
  }
  return [...blocks.values()];
}
