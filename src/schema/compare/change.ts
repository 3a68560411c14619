import type { TableReference } from "../../model/index.js";
import type {
  CheckLayout,
  ColumnLayout,
  ForeignKeyLayout,
  IndexLayout,
  KeyLayout,
  TableLayout,
} from "../../sql/index.js";
import { oneLine, visible } from "../../written/index.js";

/** A property of a column that differs. */
export type ColumnFact = "type" | "null" | "default" | "collation" | "computation" | "identity";

/** A kind of change for each name, of the same facts. */
type Each<K extends string, F> = K extends unknown ? { readonly kind: K; readonly table: TableReference } & F : never;

/** One step from the tables that there are to those that there are to be. */
export type Change =
  | Each<"create table" | "drop table", { readonly table: TableLayout }>
  | { readonly kind: "rename table"; readonly table: TableReference; readonly to: string }
  | { readonly kind: "add column"; readonly table: TableReference; readonly column: ColumnLayout }
  | { readonly kind: "drop column"; readonly table: TableReference; readonly column: ColumnLayout }
  | { readonly kind: "rename column"; readonly table: TableReference; readonly column: string; readonly to: string }
  | {
      readonly kind: "change column";
      readonly table: TableReference;
      readonly column: ColumnLayout;
      readonly to: ColumnLayout;
      readonly facts: readonly ColumnFact[];
    }
  | Each<"add primary key" | "drop primary key" | "add unique" | "drop unique", { readonly key: KeyLayout }>
  | Each<"add foreign key" | "drop foreign key", { readonly key: ForeignKeyLayout }>
  | Each<"create index" | "drop index", { readonly index: IndexLayout }>
  | Each<"add check" | "drop check", { readonly check: CheckLayout }>;

/** A table by its name, for people. */
export const tableLabel = ({ schema, table }: TableReference): string =>
  visible(schema === undefined ? table : `${schema}.${table}`);

const keyLabel = (columns: readonly string[]): string => `(${columns.join(", ")})`;

const indexLabel = ({ isUnique, parts, condition }: IndexLayout): string =>
  `${isUnique ? "unique " : ""}(${parts.map(({ column, descending }) => `${column}${descending ? " desc" : ""}`).join(", ")})${condition === undefined ? "" : ` where ${condition}`}`;

const factLabel = (fact: ColumnFact, { column, to }: Extract<Change, { kind: "change column" }>): string => {
  const said = (text: string | undefined, otherwise: string) => text ?? otherwise;
  switch (fact) {
    case "type":
      return `${column.type} → ${to.type}`;
    case "null":
      return to.isNullable ? "may be null" : "not null";
    case "default":
      return `default ${said(column.default, "none")} → ${said(to.default, "none")}`;
    case "collation":
      return `collation ${said(column.collation, "the table's")} → ${said(to.collation, "the table's")}`;
    case "computation":
      return `computed of ${said(column.computed?.text, "nothing")} → ${said(to.computed?.text, "nothing")}`;
    default:
      return to.isIdentity ? "handed out by the database" : "no longer handed out by the database";
  }
};

/** A change in words, on one line. */
export const changeLabel = (change: Change): string => oneLine(wordsOf(change));

function wordsOf(change: Change): string {
  const at = tableLabel(change.table);
  switch (change.kind) {
    case "create table":
    case "drop table":
      return `${change.kind} ${at}`;
    case "rename table":
      return `rename table ${at} to ${change.to}`;
    case "rename column":
      return `rename column ${at}.${change.column} to ${change.to}`;
    case "add column":
      return `add column ${at}.${change.column.name}: ${change.column.type}${change.column.isNullable ? "" : ", not null"}`;
    case "drop column":
      return `drop column ${at}.${change.column.name}`;
    case "change column":
      return `change column ${at}.${change.to.name}: ${change.facts.map((fact) => factLabel(fact, change)).join(", ")}`;
    case "create index":
    case "drop index":
      return `${change.kind} on ${at} ${indexLabel(change.index)}`;
    case "add check":
    case "drop check":
      return `${change.kind} of ${at}: ${change.check.text}`;
    case "add foreign key":
    case "drop foreign key": {
      const { columns, target, targetColumns } = change.key;
      return `${change.kind} ${at} ${keyLabel(columns)} → ${tableLabel(target)} ${keyLabel(targetColumns)}`;
    }
    default:
      return `${change.kind} of ${at} ${keyLabel(change.key.columns)}`;
  }
}
