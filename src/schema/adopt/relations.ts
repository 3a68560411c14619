import { type TableReference, tableKey } from "../../model/index.js";
import type { ForeignKeyLayout, TableLayout } from "../../sql/index.js";
import { freeName, leadsTo, pluralOf } from "./names.js";

/** A relation of a model in the making. */
export interface RelationCode {
  readonly name: string;
  readonly call: "toOne" | "toMany" | "linked";
  /** The target entity. */
  readonly target: string;
  readonly options: Readonly<Record<string, unknown>>;
}

/** What relations are made of: a table, its entity, and what its columns are called. */
export interface Adopting {
  readonly layout: TableLayout;
  readonly entity: string;
  readonly properties: ReadonlyMap<string, string>;
}

/** A key that leads from one table to another: a constraint, or what names and rows speak for. */
export interface Lead {
  readonly key: ForeignKeyLayout;
  readonly isGuess: boolean;
}

const same = (left: readonly string[], right: readonly string[]): boolean =>
  left.length === right.length && left.every((name, i) => name === right[i]);

const sameSet = (left: readonly string[], right: readonly string[]): boolean =>
  left.length === right.length && left.every((name) => right.includes(name));

/** Whether columns of a table are unique together. */
export const isUnique = ({ primaryKey, uniques, indexes }: TableLayout, columns: readonly string[]): boolean =>
  sameSet(primaryKey.columns, columns) ||
  uniques.some((key) => sameSet(key.columns, columns)) ||
  indexes.some(
    ({ isUnique: unique, condition, parts }) =>
      unique &&
      condition === undefined &&
      sameSet(
        parts.map(({ column }) => column ?? ""),
        columns,
      ),
  );

/** Whether an index, or a key, begins with columns. */
const isServed = ({ primaryKey, uniques, indexes }: TableLayout, columns: readonly string[]): boolean =>
  [
    primaryKey.columns,
    ...uniques.map((key) => key.columns),
    ...indexes
      .filter(({ condition }) => condition === undefined)
      .map(({ parts }) => parts.map(({ column }) => column ?? "")),
  ].some((begin) => columns.every((column, i) => begin[i] === column));

const one = (names: readonly string[]): string | readonly string[] =>
  names.length === 1 ? (names[0] as string) : names;

/** A model's key has its columns in the order in which they stand in the table. */
const modelKey = ({ layout: { primaryKey, columns } }: Adopting): readonly string[] =>
  columns.map(({ name }) => name).filter((name) => primaryKey.columns.includes(name));

/** A foreign key whose columns stand in the order of the model's key, where it leads to that. */
function inKeyOrder(key: ForeignKeyLayout, target: Adopting): ForeignKeyLayout {
  const wanted = modelKey(target);
  if (!sameSet(wanted, key.targetColumns)) return key;
  return {
    ...key,
    targetColumns: wanted,
    columns: wanted.map((name) => key.columns[key.targetColumns.indexOf(name)] as string),
  };
}

/** Options of both sides of a relation. */
function keyOptions(
  by: readonly string[],
  { key, isGuess }: Lead,
  target: Adopting,
  isOurs: boolean,
  source: Adopting,
) {
  const names = (adopting: Adopting, columns: readonly string[]) =>
    columns.map((column) => adopting.properties.get(column) ?? column);
  const isOfKey = same(key.targetColumns, modelKey(target));
  return {
    by: one(by),
    ...(isOfKey ? {} : { to: one(names(target, key.targetColumns)) }),
    ...(isGuess ? { constraint: false } : {}),
    ...(isOurs && !isGuess && key.onDelete !== "no action" ? { onDelete: key.onDelete } : {}),
    ...(isOurs && !isGuess && key.onUpdate !== "no action" ? { onUpdate: key.onUpdate } : {}),
    ...(isOurs && !isServed(source.layout, key.columns) ? { index: false } : {}),
  };
}

/** The relations of all tables, both directions of each key, and those over tables that only link others. */
export function relationsOf(
  tables: readonly Adopting[],
  leads: (table: Adopting) => readonly Lead[],
): ReadonlyMap<Adopting, readonly RelationCode[]> {
  const byKey = new Map(tables.map((table) => [tableKey(table.layout), table]));
  const targetOf = ({ target }: { readonly target: TableReference }) => byKey.get(tableKey(target));
  const ordered = (lead: Lead): Lead => {
    const target = targetOf(lead.key);
    return target === undefined ? lead : { ...lead, key: inKeyOrder(lead.key, target) };
  };
  const known = new Map(tables.map((table) => [table, leads(table).map(ordered)]));
  const leadsOf = (table: Adopting): readonly Lead[] => known.get(table) ?? [];
  const relations = new Map<Adopting, RelationCode[]>(tables.map((table) => [table, []]));
  const taken = new Map(tables.map((table) => [table, new Set(table.properties.values())]));
  const add = (
    of: Adopting,
    wanted: string,
    others: readonly string[],
    relation: Omit<RelationCode, "name">,
  ): string => {
    const name = freeName(wanted, taken.get(of) as Set<string>, ...others);
    taken.get(of)?.add(name);
    relations.get(of)?.push({ name, ...relation });
    return name;
  };
  const lower = (name: string) => name.charAt(0).toLowerCase() + name.slice(1);
  const upper = (name: string) => name.charAt(0).toUpperCase() + name.slice(1);
  const forward = new Map<Lead, string>();
  for (const source of tables)
    for (const lead of leadsOf(source)) {
      const target = targetOf(lead.key);
      if (target === undefined) continue;
      const by = lead.key.columns.map((column) => source.properties.get(column) ?? column);
      const named = lead.key.columns.length === 1 ? leadsTo(lead.key.columns[0] as string) : undefined;
      const wanted = named ?? lower(target.entity);
      const options = keyOptions(by, lead, target, true, source);
      forward.set(
        lead,
        add(source, wanted, [`${wanted}Row`, `${by.join("And")}${target.entity}`], {
          call: "toOne",
          target: target.entity,
          options,
        }),
      );
    }
  for (const source of tables) {
    const own = leadsOf(source);
    for (const lead of own) {
      const target = targetOf(lead.key);
      const name = forward.get(lead);
      if (target === undefined || name === undefined) continue;
      const isSeveral = own.filter((other) => targetOf(other.key) === target).length > 1;
      const isSelf = source === target;
      const isOne = isUnique(source.layout, lead.key.columns);
      const plain = lower(source.entity);
      const base = isOne ? plain : pluralOf(plain);
      const by = `By${upper(name)}`;
      const wanted = isSelf ? `${isOne ? plain : pluralOf(plain)}${by}` : isSeveral ? `${base}${by}` : base;
      const { by: columns, ...options } = keyOptions(
        lead.key.columns.map((column) => source.properties.get(column) ?? column),
        lead,
        target,
        false,
        source,
      );
      add(target, wanted, [`${base}${by}`], {
        call: isOne ? "toOne" : "toMany",
        target: source.entity,
        options: { ...(isOne ? { keyInTarget: columns } : { by: columns }), ...options },
      });
    }
  }
  for (const link of tables) {
    const backed = leadsOf(link).filter((lead) => targetOf(lead.key) !== undefined && !lead.isGuess);
    const [left, right] = backed;
    // A table whose key is two others' keys says which rows of these belong together.
    if (backed.length !== 2 || left === undefined || right === undefined) continue;
    if (!isUnique(link.layout, [...left.key.columns, ...right.key.columns])) continue;
    const [from, to] = [targetOf(left.key) as Adopting, targetOf(right.key) as Adopting];
    if (from === to) continue;
    for (const [here, there] of [
      [from, to],
      [to, from],
    ] as const) {
      const wanted = pluralOf(lower(there.entity));
      add(here, wanted, [`${wanted}By${link.entity}`], {
        call: "linked",
        target: there.entity,
        options: { by: link.entity },
      });
    }
  }
  return relations;
}
