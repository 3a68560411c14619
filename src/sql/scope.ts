import { GemachError } from "../errors/index.js";
import type { ResolvedColumn, ResolvedEntity, ResolvedRelation } from "../model/index.js";
import type { Path, Source } from "../query/index.js";
import type { Join, SelectItem, SortTerm, SqlExpression, TableTerm } from "./tree.js";

/** A select under construction. */
export interface SelectDraft {
  readonly items: SelectItem[];
  from: TableTerm;
  readonly joins: Join[];
  readonly where: SqlExpression[];
  readonly orderBy: SortTerm[];
  limit: number | undefined;
  offset: number | undefined;
}

/** Rows of one entity that a select can refer to. */
export interface Place {
  readonly entity: ResolvedEntity;
  readonly alias: string;
  /** The select in whose from clause it stands. */
  readonly select: SelectDraft;
  /** Whether its columns may all be null, since it is joined from the left. */
  isOptional: boolean;
  /** The place inside a derived table that it stands for, and whose select must hand out the columns asked for. */
  readonly derivedFrom: Place | undefined;
  /** To-one relations that were joined to it. */
  readonly steps: Map<ResolvedRelation, Place>;
}

/** Names in use, and the places where sources are to be found, while a statement is built. */
export interface Scope {
  readonly places: Map<Source, Place>;
  readonly names: Set<string>;
  readonly bound: ReadonlyMap<Source, Path>;
}

/** The first of the names that is free, else the last with a number. */
export function freeName(scope: Scope, ...wishes: readonly [string, ...string[]]): string {
  const last = wishes[wishes.length - 1] as string;
  let name = wishes.find((wish) => !scope.names.has(wish)) ?? last;
  for (let i = 2; scope.names.has(name); i++) name = `${last}_${i}`;
  scope.names.add(name);
  return name;
}

/** Gives back the names that a finished subquery used. */
export function releaseNames(scope: Scope, select: SelectDraft): void {
  for (const { alias } of [select.from, ...select.joins.map((join) => join.table)]) scope.names.delete(alias);
}

/** A select from a table or derived table that has nothing else yet. */
export const selectFrom = (from: TableTerm): SelectDraft => ({
  items: [],
  from,
  joins: [],
  where: [],
  orderBy: [],
  limit: undefined,
  offset: undefined,
});

/** A place in a select's from clause. */
export const placeIn = (
  select: SelectDraft,
  entity: ResolvedEntity,
  alias: string,
  derivedFrom?: Place,
  isOptional = false,
): Place => ({
  entity,
  alias,
  select,
  isOptional,
  derivedFrom,
  steps: new Map(),
});

/** A column at a place; a derived table is made to hand it out. */
export function columnOf(place: Place, column: ResolvedColumn): SqlExpression {
  if (place.derivedFrom !== undefined) {
    const { items } = place.derivedFrom.select;
    const expression = columnOf(place.derivedFrom, column);
    if (!items.some((item) => item.alias === column.name)) items.push({ expression, alias: column.name });
  }
  return { kind: "column", table: place.alias, name: column.name };
}

/** The equations that hold between a place and a related one. */
export const keysEqual = (relation: ResolvedRelation, from: Place, to: Place): readonly SqlExpression[] =>
  relation.pairs.map((pair) => ({
    kind: "binary",
    operator: "=",
    left: columnOf(to, pair.to),
    right: columnOf(from, pair.from),
  }));

function stepTo(scope: Scope, place: Place, relation: ResolvedRelation): Place {
  const known = place.steps.get(relation);
  if (known !== undefined) return known;
  const alias = freeName(scope, relation.name, `${place.alias}_${relation.name}`);
  const isOptional = place.isOptional || relation.mayBeMissing;
  const next = placeIn(place.select, relation.target, alias, undefined, isOptional);
  place.select.joins.push({
    kind: isOptional ? "left" : "inner",
    table: { kind: "table", table: relation.target.table, alias },
    on: keysEqual(relation, place, next),
  });
  place.steps.set(relation, next);
  return next;
}

/**
 * The place at the end of a path; to-one relations on the way are joined once.
 * @throws GemachError `ROW_OUT_OF_PLACE` where the path starts at a row of another query.
 */
export function placeOf(scope: Scope, path: Path): Place {
  const longer = scope.bound.get(path.source);
  const start = longer === undefined ? scope.places.get(path.source) : placeOf(scope, longer);
  if (start === undefined) throw new GemachError("ROW_OUT_OF_PLACE", { entity: path.source.entity.name });
  return path.steps.reduce((place, relation) => stepTo(scope, place, relation), start);
}
