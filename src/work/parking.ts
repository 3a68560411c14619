import { type ColumnKind, canonicalOf, derived, type Scalar } from "../columns/index.js";
import { type GemachError, workError } from "../errors/index.js";
import type { ResolvedColumn, ResolvedEntity } from "../ir/index.js";
import { type LiveObject, type LiveState, liveStateOf } from "../live/index.js";
import type { Changed } from "./changes.js";
import { readThere } from "./deletes.js";
import { RowIndex, readNow, valuesText } from "./row-index.js";
import { isOurs, type Unit } from "./unit.js";

/** Columns of which no two rows have the same values. */
type Unique = readonly ResolvedColumn[];

const uniquesOf = derived((entity: ResolvedEntity): readonly Unique[] => [
  ...[...entity.columns.values()].filter(({ isUnique }) => isUnique).map((column) => [column]),
  ...entity.indexes.filter(({ isUnique }) => isUnique).map(({ parts }) => parts.map(({ column }) => column)),
]);

/** A row that has a unique value which another one is to have. */
interface Freer {
  readonly live: LiveObject;
  readonly unique: Unique;
  /** A row of the database that is to have the value, if it is none that is new. */
  readonly taker: Changed | undefined;
}

/** What comes before all else is written, so that unique values are free when rows take them. */
export interface Parking {
  /** Rows that get another value meanwhile. */
  readonly parked: readonly (readonly [LiveObject, readonly ResolvedColumn[], readonly Scalar[]])[];
  /** Changed rows that are written one after the other, in this order. */
  readonly early: readonly Changed[];
}

const nothing: Parking = { parked: [], early: [] };

const randomDigits = (): string =>
  Array.from({ length: 3 }, () => Math.random().toString(36).slice(2, 12).padEnd(10, "0")).join("");

/** Makes values that no row is likely to have, of kinds that have so many. */
const free: Partial<Record<ColumnKind, (column: ResolvedColumn) => Scalar | undefined>> = {
  integer: () => -2_147_483_648 + Math.floor(Math.random() * 1_000_000_000),
  bigint: () => -(2n ** 62n) - BigInt(Math.floor(Math.random() * 2 ** 52)),
  text: () => `~${randomDigits()}`,
  varchar: ({ type: { length = 0 } }) =>
    length >= 8 ? `~${randomDigits()}`.slice(0, Math.min(length, 30)) : undefined,
  uuid: () => {
    const digits = Array.from({ length: 32 }, () => Math.floor(Math.random() * 16).toString(16)).join("");
    return digits.replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, "$1-$2-$3-$4-$5");
  },
};

/** What one of the columns may hold meanwhile; undefined where none of them can hold anything else. */
function placeFor(
  entity: ResolvedEntity,
  unique: Unique,
): readonly [readonly ResolvedColumn[], readonly Scalar[]] | undefined {
  const nullable = unique.find(({ isNullable }) => isNullable);
  if (nullable !== undefined) return [[nullable], [null]];
  if (entity.checks.size > 0) return undefined;
  const isOfKey = (column: ResolvedColumn) =>
    [...entity.relations.values()].some(
      (relation) => isOurs(relation) && relation.steps[0].pairs.some(({ from }) => from === column),
    );
  for (const column of unique) {
    if (column.isKey || column.isComputed || isOfKey(column) || column.schema !== undefined) continue;
    if (column.type.stored !== undefined || column.type.codec !== undefined) continue;
    const value = free[column.kind]?.(column);
    if (value !== undefined && canonicalOf(value, column.type) !== undefined) return [[column], [value]];
  }
  return undefined;
}

/** The rows whose unique values are to be those of others. */
function* freersIn(unit: Unit, changed: readonly Changed[], deferred: ReadonlySet<LiveObject>): Iterable<Freer> {
  const takers = new RowIndex([...unit.added, ...changed.map(({ live }) => live)], readNow);
  const byLive = new Map(changed.map((one) => [one.live, one]));
  const isFreed = (names: readonly string[] | undefined, unique: Unique) =>
    names === undefined || unique.some(({ steps }) => names.includes(steps[0] as string));
  const leaving = [
    ...changed.map(({ live, names }) => [live, names] as const),
    ...[...deferred].map((live) => [live, undefined] as const),
  ];
  for (const [live, names] of leaving) {
    const { entity } = liveStateOf(live).kind;
    for (const unique of uniquesOf(entity)) {
      if (!isFreed(names, unique)) continue;
      const before = valuesText(live, unique, readThere);
      const taker = takers.find(entity, unique, before);
      if (taker !== undefined && taker !== live) yield { live, unique, taker: byLive.get(taker) };
    }
  }
}

const tangled = ({ kind: { entity } }: LiveState, unique: Unique): GemachError =>
  workError("VALUES_TANGLED", { entity: entity.name, columns: unique.map(({ property }) => property) });

/**
 * What has to be done so that rows may swap unique values, shift them, or hand them on to new rows.
 * @throws GemachError `VALUES_TANGLED` where no order, and no other value, makes room
 */
export function planParking(unit: Unit, changed: readonly Changed[], deferred: ReadonlySet<LiveObject>): Parking {
  if (changed.length === 0 && deferred.size === 0) return nothing;
  if (changed.length + unit.added.size + deferred.size < 2) return nothing;
  const parked: (readonly [LiveObject, readonly ResolvedColumn[], readonly Scalar[]])[] = [];
  const before = new Map<Changed, { readonly freer: Changed; readonly unique: Unique }[]>();
  const early = new Set<Changed>();
  const byLive = new Map(changed.map((one) => [one.live, one]));
  for (const { live, unique, taker } of freersIn(unit, changed, deferred)) {
    const state = liveStateOf(live);
    const position = placeFor(state.kind.entity, unique);
    if (position !== undefined) {
      parked.push([live, ...position]);
      continue;
    }
    const freer = byLive.get(live);
    if (freer === undefined || state.awaits !== undefined) throw tangled(state, unique);
    early.add(freer);
    if (taker !== undefined) before.set(taker, [...(before.get(taker) ?? []), { freer, unique }]);
  }
  const order: Changed[] = [];
  const open = new Set<Changed>();
  const visit = (one: Changed): void => {
    if (order.includes(one)) return;
    open.add(one);
    for (const { freer, unique } of before.get(one) ?? []) {
      if (open.has(freer)) throw tangled(one.kept, unique);
      visit(freer);
    }
    open.delete(one);
    order.push(one);
  };
  for (const one of early) visit(one);
  return { parked, early: order };
}
