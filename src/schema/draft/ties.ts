import { type TableReference, tableKey } from "../../model/index.js";
import type { DialectName, ForeignKeyLayout } from "../../sql/index.js";
import type { Change } from "../compare/change.js";
import { speaksOf } from "../text/tokens.js";
import { type Of, only } from "./plan.js";

/** The name of a constraint or an index that a change is about. */
function nameIn(change: Change): string | undefined {
  if ("index" in change) return change.index.name;
  if ("check" in change) return change.check.name;
  return "key" in change ? change.key.name : undefined;
}

const uniqueKey = (table: TableReference, columns: readonly string[]): string =>
  JSON.stringify([tableKey(table), ...[...columns].sort()]);

/** Columns that are not what they are to be until old code is gone, so that nothing can be made of them before. */
export class Ties {
  readonly #columns = new Map<string, Set<string>>();
  readonly #tables = new Set<string>();
  /** Columns that come to be unique by an index: a key that leads to the very same may need it. */
  readonly #unique = new Set<string>();
  /** Names that are free only once what has them is gone. */
  readonly #names = new Set<string>();
  readonly #dialect: DialectName;

  constructor(changes: readonly Change[], dialect: DialectName) {
    this.#dialect = dialect;
    const added = new Set(only(changes, "add column").map(({ table, column }) => `${tableKey(table)} ${column.name}`));
    for (const change of changes) {
      const name = change.kind.startsWith("drop") ? nameIn(change) : undefined;
      if (name !== undefined) this.#names.add(name);
      const key = tableKey(change.table);
      // One that is made anew goes and comes in one step.
      if (change.kind === "drop column" && added.has(`${key} ${change.column.name}`))
        this.#tie(key, [change.column.name]);
      if (change.kind === "rename column") this.#tie(key, [change.to]);
      if (change.kind === "rename table") this.#tables.add(tableKey({ schema: change.table.schema, table: change.to }));
      if (change.kind === "change column" && change.facts.some((fact) => fact !== "default" && fact !== "null"))
        this.#tie(key, [change.to.name]);
      // A key that others are to lead to comes late.
      if (change.kind === "add primary key" || change.kind === "add unique") this.#tie(key, change.key.columns);
      if (change.kind === "create index" && change.index.isUnique)
        this.#unique.add(
          uniqueKey(
            change.table,
            change.index.parts.map(({ column }) => column ?? ""),
          ),
        );
    }
    this.#tieNewTables(only(changes, "create table"));
  }

  /** A new table that waits keeps all waiting that leads to it, other new tables too. */
  #tieNewTables(created: readonly Of<"create table">[]): void {
    const waiting = created.filter((change) => !this.#tables.has(tableKey(change.table)) && this.touches(change));
    if (waiting.length === 0) return;
    for (const { table } of waiting) this.#tables.add(tableKey(table));
    this.#tieNewTables(created);
  }

  #tie(key: string, columns: readonly string[]): void {
    const tied = this.#columns.get(key) ?? new Set();
    for (const column of columns) tied.add(column);
    this.#columns.set(key, tied);
  }

  #hasAny(table: TableReference, columns: readonly (string | undefined)[]): boolean {
    const tied = this.#columns.get(tableKey(table));
    return (
      this.#tables.has(tableKey(table)) || columns.some((column) => column !== undefined && tied?.has(column) === true)
    );
  }

  #isSpokenOf(table: TableReference, text: string | undefined): boolean {
    return speaksOf(text, this.#columns.get(tableKey(table)) ?? new Set(), this.#dialect);
  }

  #leadsToTied({ target, targetColumns }: ForeignKeyLayout): boolean {
    return this.#hasAny(target, targetColumns) || this.#unique.has(uniqueKey(target, targetColumns));
  }

  /** Whether a change is of such columns, or leads to them. */
  touches(change: Change): boolean {
    const { table } = change;
    const name = nameIn(change);
    if (name !== undefined && this.#names.has(name)) return true;
    switch (change.kind) {
      case "create table":
        return change.table.foreignKeys.some((key) => this.#leadsToTied(key));
      case "add column":
        return this.#hasAny(table, [change.column.name]) || this.#isSpokenOf(table, change.column.computed?.text);
      case "change column":
        return this.#hasAny(table, [change.to.name]);
      case "create index":
        return (
          this.#hasAny(
            table,
            change.index.parts.map(({ column }) => column),
          ) || this.#isSpokenOf(table, change.index.condition)
        );
      case "add check":
        return this.#hasAny(table, []) || this.#isSpokenOf(table, change.check.text);
      case "add foreign key":
        return this.#hasAny(table, change.key.columns) || this.#leadsToTied(change.key);
      case "add unique":
        return true;
      default:
        return false;
    }
  }
}
