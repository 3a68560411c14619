import fc from "fast-check";
import {
  bigint,
  boolean,
  choice,
  date,
  entity,
  identity,
  integer,
  localTimestamp,
  model,
  numeric,
  or,
  text,
  timestamp,
  toOne,
  uuid,
  varchar,
} from "../../src/index.js";

// biome-ignore lint/suspicious/noExplicitAny: random models are put together without types
type Untyped = any;

/** Kinds of columns, each with a default and values that it holds. */
const kinds = {
  integer: { column: () => integer, standard: 7, values: [1, -5, 2_000_000_000] },
  bigint: { column: () => bigint, standard: -1n, values: [1n, 2n ** 40n] },
  numeric: { column: () => numeric(8, 2), standard: "1.50", values: ["0.25", "-12.00"] },
  wide: { column: () => numeric(14, 4), standard: "0.0000", values: ["0.2500", "12.0000"] },
  text: { column: () => text, standard: "it's", values: ["a", "é\\'", "3"] },
  varchar: { column: () => varchar(20), standard: "none", values: ["b", "20"] },
  short: { column: () => varchar(5), standard: "x", values: ["c", "5"] },
  choice: { column: () => choice("new", "used"), standard: "used", values: ["new", "used"] },
  boolean: { column: () => boolean, standard: true, values: [true, false] },
  date: { column: () => date, standard: "2026-01-01", values: ["2026-05-01"] },
  timestamp: { column: () => timestamp, standard: new Date(0), values: [new Date("2026-05-01T10:00:00.125Z")] },
  local: { column: () => localTimestamp, standard: "2026-01-01T00:00:00", values: ["2026-05-01T10:00:00"] },
  uuid: { column: () => uuid, standard: "0189c3a0-0000-7000-8000-000000000001", values: ["0189c3a0-0000-7000-8000-000000000002"] },
} as const;
type Kind = keyof typeof kinds;
const kindNames = Object.keys(kinds) as Kind[];

export interface ColumnSpec {
  readonly kind: Kind;
  readonly isNullable: boolean;
  readonly hasDefault: boolean;
}

export interface TableSpec {
  readonly isIdentity: boolean;
  readonly columns: Readonly<Record<string, ColumnSpec>>;
  /** A rule, by the columns that it reads. */
  readonly rules: readonly { readonly kind: "above" | "listed" | "present" | "between"; readonly column: string }[];
  readonly computed: string | undefined;
  readonly indexes: readonly { readonly on: readonly string[]; readonly isUnique: boolean; readonly isDescending: boolean; readonly isPartial: boolean }[];
  readonly ups: readonly { readonly to: string; readonly onDelete: "no action" | "cascade" | "set null" }[];
}

export type LayoutSpec = Readonly<Record<string, TableSpec>>;

const tableNames = ["depot", "item", "Loan", "order", "a on (b"];
const columnNames = ["name", "due", "select", "Weight", "note_1", 'q"t', "ünï"];

const columnSpec = fc.record({ kind: fc.constantFrom(...kindNames), isNullable: fc.boolean(), hasDefault: fc.boolean() });
const named = fc.constantFrom(...columnNames);

const tableSpec: fc.Arbitrary<TableSpec> = fc.record({
  isIdentity: fc.boolean(),
  columns: fc.dictionary(named, columnSpec, { minKeys: 1, maxKeys: 5 }),
  rules: fc.uniqueArray(fc.record({ kind: fc.constantFrom("above", "listed", "present", "between"), column: named }), {
    maxLength: 2,
    selector: ({ kind, column }) => kind + column,
  }),
  computed: fc.option(named, { nil: undefined }),
  indexes: fc.array(
    fc.record({ on: fc.uniqueArray(named, { minLength: 1, maxLength: 2 }), isUnique: fc.boolean(), isDescending: fc.boolean(), isPartial: fc.boolean() }),
    { maxLength: 2 },
  ),
  ups: fc.uniqueArray(fc.record({ to: fc.constantFrom(...tableNames), onDelete: fc.constantFrom("no action", "cascade", "set null") }), {
    maxLength: 2,
    selector: ({ to }) => to,
  }),
});

export const layouts: fc.Arbitrary<LayoutSpec> = fc.dictionary(fc.constantFrom(...tableNames), tableSpec, { minKeys: 1, maxKeys: 4 });

/** A part replaced by another, for as many parts as there are numbers. */
const mutation = fc.record({
  table: fc.nat(),
  what: fc.constantFrom("columns", "columns", "column", "rename", "rename", "rules", "computed", "indexes", "ups", "table"),
  other: tableSpec,
});

/** A layout, another one a few changes away, and the columns that have another name there. */
export interface Pair {
  readonly before: LayoutSpec;
  readonly after: LayoutSpec;
  /** "loan.due" → "due_on" */
  readonly renames: Readonly<Record<string, string>>;
  /** Whether it is gone in steps that keep nobody waiting, where the engine has such. */
  readonly isOnline: boolean;
}

/** A table in which a column has another name. */
function withRenamed(spec: TableSpec, from: string, to: string): TableSpec {
  const name = (one: string) => (one === from ? to : one);
  return {
    ...spec,
    columns: Object.fromEntries(Object.entries(spec.columns).map(([one, column]) => [name(one), column])),
    rules: spec.rules.map((rule) => ({ ...rule, column: name(rule.column) })),
    computed: spec.computed === undefined ? undefined : name(spec.computed),
    indexes: spec.indexes.map((index) => ({ ...index, on: index.on.map(name) })),
  };
}

export const pairs: fc.Arbitrary<Pair> = fc
  .tuple(layouts, fc.array(mutation, { minLength: 1, maxLength: 4 }), layouts, fc.boolean())
  .map(([before, mutations, others, isOnline]) => {
    let after: LayoutSpec = before;
    const renames: Record<string, string> = {};
    for (const { table, what, other } of mutations) {
      const names = Object.keys(after);
      const name = names[table % names.length] as string;
      const spec = after[name] as TableSpec;
      const isRenamed = Object.keys(renames).some((path) => path.startsWith(`${name}.`));
      if (what === "table") {
        const { [name]: _, ...rest } = after;
        const further = Object.entries(others).filter(([one]) => before[one] === undefined);
        const next = { ...rest, ...Object.fromEntries(further.slice(0, 1)) };
        if (Object.keys(next).length > 0 && !isRenamed) after = next;
      } else if (what === "rename") {
        const from = Object.keys(spec.columns).find((one) => before[name]?.columns[one] === spec.columns[one]);
        const to = columnNames.find((one) => spec.columns[one] === undefined && before[name]?.columns[one] === undefined);
        // What speaks of the new name already would speak of another column.
        const speaks = [spec.computed, ...spec.rules.map(({ column }) => column), ...spec.indexes.flatMap(({ on }) => on)];
        if (from === undefined || to === undefined || isRenamed || speaks.includes(to) || before[name] === undefined) continue;
        renames[`${name}.${from}`] = to;
        after = { ...after, [name]: withRenamed(spec, from, to) };
      } else if (what === "column") {
        const [first, ...rest] = Object.keys(spec.columns);
        const { [first as string]: _, ...kept } = spec.columns;
        if (rest.length > 0 && !isRenamed) after = { ...after, [name]: { ...spec, columns: kept } };
      } else if (what === "columns") {
        if (!isRenamed) after = { ...after, [name]: { ...spec, columns: { ...spec.columns, ...other.columns } } };
      } else after = { ...after, [name]: { ...spec, [what]: other[what] } };
    }
    return { before, after, renames, isOnline };
  });

const isNumber = (kind: Kind): boolean => ["integer", "bigint", "numeric", "wide"].includes(kind);
const isText = (kind: Kind): boolean => ["varchar", "short"].includes(kind);
const isIndexable = (kind: Kind): boolean => kind !== "text";

/** The model of a layout. */
export function modelOf(layout: LayoutSpec): Untyped {
  const definitions: Record<string, Untyped> = {};
  for (const [table, spec] of Object.entries(layout)) {
    const columns: Record<string, Untyped> = { id: spec.isIdentity ? identity : integer.key };
    for (const [name, { kind, isNullable, hasDefault }] of Object.entries(spec.columns)) {
      let column = kinds[kind].column() as Untyped;
      if (hasDefault) column = column.defaultsTo(kinds[kind].standard);
      columns[name] = isNullable ? column.nullable : column;
    }
    const ups = spec.ups.filter(({ to }) => layout[to] !== undefined);
    for (const { to } of ups) columns[`up ${to}`] = integer.nullable;
    const source = spec.computed === undefined ? undefined : spec.columns[spec.computed];
    const isComputed = source !== undefined && isNumber(source.kind);
    if (isComputed) columns["worked out"] = (kinds[source.kind].column() as Untyped).nullable.computed;
    const rules = spec.rules.filter(({ column }) => spec.columns[column] !== undefined);
    definitions[table] = (entity as Untyped)(
      table,
      columns,
      Object.fromEntries(ups.map(({ to, onDelete }) => [`to ${to}`, toOne(to, { by: `up ${to}`, onDelete })])),
      {
        checks: (row: Untyped) =>
          Object.fromEntries(
            rules.flatMap(({ kind, column }, i) => {
              const of = row[column];
              const { kind: own, isNullable } = spec.columns[column] as ColumnSpec;
              const { values } = kinds[own];
              if (kind === "present" && isNullable) return [[`r${i}`, or(of.isNot(null), of.is(null))]];
              if (kind === "listed" && (isNumber(own) || isText(own))) return [[`r${i}`, or(of.oneOf(values), of.isNot(values[0]))]];
              if (kind === "above" && isNumber(own)) return [[`r${i}`, of.above(own === "bigint" ? -99n : own === "integer" ? -99 : "-99.00")]];
              if (kind === "between" && isText(own)) return [[`r${i}`, or(of.lower().like("%"), of.is("\\"))]];
              return [];
            }),
          ),
        computes: (row: Untyped) => (isComputed ? { "worked out": row[spec.computed as string] } : {}),
        indexes: spec.indexes.flatMap(({ on, isUnique, isDescending, isPartial }) => {
          const there = on.filter((name) => spec.columns[name] !== undefined && isIndexable((spec.columns[name] as ColumnSpec).kind));
          if (there.length === 0) return [];
          const nullable = there.find((name) => spec.columns[name]?.isNullable);
          // Rows are told apart by their number.
          const parts = [...there.map((name) => (isDescending ? `${name} desc` : name)), ...(isUnique ? ["id"] : [])];
          return [{ on: parts, unique: isUnique, ...(isPartial && !isUnique && nullable !== undefined ? { when: { [nullable]: null } } : {}) }];
        }),
      },
    );
  }
  return model(definitions);
}

/** Kinds whose values are as they are in another. */
const wider: Readonly<Partial<Record<Kind, readonly Kind[]>>> = {
  integer: ["bigint", "wide"],
  numeric: ["wide"],
  short: ["varchar", "text"],
  varchar: ["text"],
  choice: ["varchar", "text"],
};

/** Whether a table's rows can go on in another form of it. */
export function canGoOn(before: TableSpec, after: TableSpec): boolean {
  return Object.entries(after.columns).every(([name, { kind, isNullable, hasDefault }]) => {
    const old = before.columns[name];
    if (old === undefined) return isNullable || hasDefault;
    return (old.kind === kind || wider[old.kind]?.includes(kind) === true) && (isNullable || !old.isNullable);
  });
}

/** A table before some of its columns got other names, under these. */
export const renamedSpec = (table: string, spec: TableSpec, renames: Pair["renames"]): TableSpec =>
  Object.entries(renames).reduce((made, [path, to]) => {
    const from = path.slice(table.length + 1);
    return path === `${table}.${from}` ? withRenamed(made, from, to) : made;
  }, spec);

/** Columns that are the same in two forms of a table. */
export const sameColumns = (before: TableSpec, after: TableSpec): readonly string[] => [
  "id",
  ...Object.keys(after.columns).filter((name) => before.columns[name]?.kind === after.columns[name]?.kind),
];

/** Three rows of a table. */
export const rowsOf = ({ columns }: TableSpec): readonly Readonly<Record<string, unknown>>[] =>
  [1, 2, 3].map((id) => ({
    id,
    ...Object.fromEntries(
      Object.entries(columns).map(([name, { kind, isNullable }]) => [name, isNullable && id === 3 ? null : kinds[kind].values[id % kinds[kind].values.length]]),
    ),
  }));
