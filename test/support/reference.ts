import fc from "fast-check";
import { and, exists, from, not, or, type Query, type Strategy } from "../../src/index.js";
import {
  compareIn,
  endOf,
  isNullable,
  isTruth,
  keyOf,
  memberOf,
  membersOf,
  mustLead,
  ownerOf,
  plainColumns,
  type Row,
  relatedRows,
  relationNames,
  sampleOf,
  type World,
  wayOf,
} from "./worlds.js";

/**
 * Queries as plain data, with two meanings: the library's query, and an evaluation over plain arrays
 * that shares nothing with it.
 */
export type Test =
  | {
      readonly column: string;
      readonly is: "is" | "isNot" | "below" | "above" | "atMost" | "atLeast";
      readonly value: unknown;
    }
  | { readonly column: string; readonly oneOf: readonly unknown[] }
  | { readonly all: readonly Test[] }
  | { readonly any: readonly Test[] }
  | { readonly not: Test }
  /** A to-one relation goes on; a to-many relation has a row for which the test is true. */
  | { readonly along: string; readonly test: Test };

export interface Spec {
  readonly where?: Test | undefined;
  readonly order?: readonly { readonly column: string; readonly descending: boolean }[] | undefined;
  readonly limit?: number | undefined;
  readonly offset?: number | undefined;
  /** Only rows beside which the query so far, used inside of itself, has one with the same value that passes. */
  readonly beside?: { readonly column: string; readonly test: Test } | undefined;
  readonly how?: Strategy | undefined;
  readonly reach: Readonly<Record<string, Spec>>;
  /** Only these columns of each row. */
  readonly columns?: readonly string[] | undefined;
  /** Of a reached relation: the number of its rows in place of them. */
  readonly counted?: boolean | undefined;
  /** Of a reached relation to the entity itself: how many levels. */
  readonly deep?: number | undefined;
}

/** The row at the end of a way to one; where there is none, what is at hand of its key. */
function endRow(world: World, entity: string, row: Row | undefined, name: string): Row | undefined {
  if (row === undefined) return undefined;
  const found = relatedRows(world, entity, row, name)[0];
  if (found !== undefined) return found;
  const way = wayOf(world, entity, name);
  if ("through" in way) {
    const before = way.through.slice(0, -1);
    let [at, own]: [Row | undefined, string] = [row, entity];
    for (const step of before) [at, own] = [at && relatedRows(world, own, at, step)[0], endOf(world, own, step)[1]];
    return endRow(world, own, at, way.through.at(-1) as string);
  }
  const [here, there] = [[way.here].flat(), [way.there].flat()];
  return Object.fromEntries((way.atHand ?? []).map((column) => [column, row[here[there.indexOf(column)] as string]]));
}

function passes(world: World, entity: string, row: Row | undefined, test: Test): boolean {
  if ("all" in test) return test.all.every((part) => passes(world, entity, row, part));
  if ("any" in test) return test.any.some((part) => passes(world, entity, row, part));
  if ("not" in test) return !passes(world, entity, row, test.not);
  if ("along" in test) {
    const [isOne, target] = endOf(world, entity, test.along);
    if (isOne) return passes(world, target, endRow(world, entity, row, test.along), test.test);
    const others = row === undefined ? [] : relatedRows(world, entity, row, test.along);
    return others.some((other) => passes(world, target, other, test.test));
  }
  const value = row?.[test.column] ?? null;
  if ("oneOf" in test) return test.oneOf.includes(value);
  if (test.is === "is") return value === test.value;
  if (test.is === "isNot") return value !== test.value;
  if (value === null) return false;
  const sign = compareIn(world, entity, test.column, value, test.value);
  return { below: sign < 0, above: sign > 0, atMost: sign <= 0, atLeast: sign >= 0 }[test.is];
}

function narrowed(world: World, entity: string, rows: readonly Row[], spec: Spec, own: Spec["order"] = []): readonly Row[] {
  const { where, beside, offset = 0, limit = Number.POSITIVE_INFINITY } = spec;
  const order = spec.order === undefined || spec.order.length === 0 ? own : spec.order;
  const descending = order.at(-1)?.descending ?? false;
  const terms = [...order, ...keyOf(world, entity).map((column) => ({ column, descending }))];
  const isMeant = (row: Row) => where === undefined || passes(world, entity, row, where);
  const isBeside = (row: Row) =>
    beside === undefined ||
    (row[beside.column] != null &&
      (world.rows[entity] as readonly Row[]).some(
        (other) =>
          other[beside.column] != null &&
          compareIn(world, entity, beside.column, other[beside.column], row[beside.column]) === 0 &&
          isMeant(other) &&
          passes(world, entity, other, beside.test),
      ));
  return rows
    .filter((row) => isMeant(row) && isBeside(row))
    .sort((a, b) => {
      for (const term of terms) {
        const sign = compareIn(world, entity, term.column, a[term.column] ?? null, b[term.column] ?? null);
        if (sign !== 0) return term.descending ? -sign : sign;
      }
      return 0;
    })
    .slice(offset, offset + limit);
}

/** What a query must give, worked out over plain arrays. */
export const expected = (world: World, entity: string, spec: Spec): readonly Row[] =>
  narrowed(world, entity, world.rows[entity] as readonly Row[], spec).map((row) => whole(world, entity, row, spec));

/** A row with its columns and what it reaches. */
function whole(world: World, entity: string, row: Row, spec: Spec): Row {
  const own = membersOf(world, entity).filter((name) => spec.columns?.includes(name) ?? true);
  const made: Record<string, unknown> = Object.fromEntries(own.map((name) => [name, memberOf(world, entity, row, name)]));
  for (const [name, inner] of Object.entries(spec.reach)) made[name] = reached(world, entity, row, name, inner, [row]);
  return made;
}

/** What a relation gives for a row; `way`: the rows on the way, each of which is on it once. */
function reached(world: World, entity: string, row: Row, name: string, inner: Spec, way: readonly Row[]): unknown {
  const [isOne, target, order] = endOf(world, entity, name);
  const all = narrowed(world, target, relatedRows(world, entity, row, name), inner, order);
  if (inner.counted) return all.length;
  if (all.length === 0 && mustLead(world, entity, row, name)) throw new Error("RELATED_MISSING");
  const { deep } = inner;
  const found = all
    .filter((other) => deep === undefined || !way.includes(other))
    .map((other) => {
      const made = whole(world, target, other, inner);
      if (deep === undefined) return made;
      const below = deep === 1 ? (isOne ? null : []) : reached(world, target, other, name, { ...inner, deep: deep - 1 }, [...way, other]);
      return { ...made, [name]: below };
    });
  return isOne ? (found[0] ?? null) : deep === 0 ? [] : found;
}

// biome-ignore lint/suspicious/noExplicitAny: random queries are put together without types
type Untyped = any;

/** A column of a row in a callback. */
function columnIn(world: World, entity: string, row: Untyped, column: string): Untyped {
  const owner = ownerOf(world, entity, column);
  return owner === undefined ? row[column] : row[owner][column];
}

function predicate(world: World, entity: string, row: Untyped, test: Test): Untyped {
  if ("all" in test) return and(...test.all.map((part) => predicate(world, entity, row, part)));
  if ("any" in test) return or(...test.any.map((part) => predicate(world, entity, row, part)));
  if ("not" in test) return not(predicate(world, entity, row, test.not));
  if ("along" in test) {
    const [isOne, target] = endOf(world, entity, test.along);
    if (isOne) return predicate(world, target, row[test.along], test.test);
    return row[test.along].where((other: Untyped) => predicate(world, target, other, test.test)).exists();
  }
  const column = columnIn(world, entity, row, test.column);
  return "oneOf" in test ? column.oneOf(test.oneOf) : column[test.is](test.value);
}

function shaped(
  world: World,
  entity: string,
  start: Untyped,
  { where, beside, order, limit, offset, how, reach, columns: named, counted, deep }: Spec,
): Untyped {
  let query = start;
  if (where !== undefined) query = query.where((row: Untyped) => predicate(world, entity, row, where));
  if (beside !== undefined) {
    const own = query;
    query = own.where((row: Untyped) =>
      exists(
        own.where((other: Untyped) =>
          and(columnIn(world, entity, other, beside.column).is(columnIn(world, entity, row, beside.column)), predicate(world, entity, other, beside.test)),
        ),
      ),
    );
  }
  if (order !== undefined)
    query = query.orderBy((row: Untyped) => order.map(({ column, descending }) => columnIn(world, entity, row, column)[descending ? "desc" : "asc"]));
  if (limit !== undefined) query = query.limit(limit);
  if (offset !== undefined) query = query.offset(offset);
  if (how !== undefined) query = query.how(how);
  if (named !== undefined) query = query.columns(...named);
  if (counted) return query.counted();
  const shape = shapeOf(world, entity, reach);
  if (Object.keys(shape).length > 0) query = query.reach(shape);
  return deep === undefined ? query : query.deep(deep);
}

/** What a reach takes. */
export const shapeOf = (world: World, entity: string, reach: Spec["reach"]): object =>
  Object.fromEntries(Object.entries(reach).map(([name, spec]) => [name, (inner: Untyped) => shaped(world, endOf(world, entity, name)[1], inner, spec)]));

/** The library's query. */
export const queryOf = (world: World, entity: string, spec: Spec): Query => shaped(world, entity, from((world.model as Untyped)[entity]), spec);

/** The same with no strategy named anywhere. */
export const withoutHow = (spec: Spec): Spec => ({
  ...spec,
  how: undefined,
  reach: Object.fromEntries(Object.entries(spec.reach).map(([name, inner]) => [name, withoutHow(inner)])),
});

/** Of what a query reaches only lists of rows, by themselves: what a projection can list as well. */
export const withLists = (world: World, entity: string, spec: Spec): Spec => ({
  ...spec,
  reach: Object.fromEntries(
    Object.entries(spec.reach)
      .filter(([name, inner]) => !endOf(world, entity, name)[0] && inner.counted !== true && inner.deep === undefined && inner.beside === undefined)
      .map(([name, inner]) => [name, { ...inner, reach: {} }]),
  ),
});

/** The library's query of the same, as a projection. */
export function listQueryOf(world: World, entity: string, spec: Spec): Untyped {
  const named = (row: Untyped, of: string, columns: Spec["columns"]) =>
    Object.fromEntries(
      membersOf(world, of)
        .filter((name) => columns?.includes(name) ?? true)
        .map((name) => [name, row[name]]),
    );
  const bare = shaped(world, entity, from((world.model as Untyped)[entity]), { ...withoutHow(spec), columns: undefined, reach: {} });
  return bare.select((row: Untyped) => ({
    ...named(row, entity, spec.columns),
    ...Object.fromEntries(
      Object.entries(spec.reach).map(([name, { columns, ...inner }]) => {
        const target = endOf(world, entity, name)[1];
        return [name, shaped(world, target, row[name], withoutHow({ ...inner, reach: {} })).select((other: Untyped) => named(other, target, columns))];
      }),
    ),
  }));
}

const someValue = (world: World, entity: string, column: string): fc.Arbitrary<unknown> => {
  const found = (world.rows[entity] as readonly Row[]).map((row) => row[column] ?? null).filter((value) => value !== null);
  return fc.constantFrom(...(found.length === 0 ? [sampleOf(world, entity, column)] : found));
};

function testOf(world: World, entity: string, depth: number): fc.Arbitrary<Test> {
  const single = fc.constantFrom(...plainColumns(world, entity)).chain((column): fc.Arbitrary<Test> => {
    const value = someValue(world, entity, column);
    const isBoolean = isTruth(world, entity, column);
    const named = isBoolean ? fc.constantFrom("is", "isNot") : fc.constantFrom("is", "isNot", "below", "above", "atMost", "atLeast");
    const options: fc.Arbitrary<Test>[] = [
      fc.record({ column: fc.constant(column), is: named as fc.Arbitrary<"is">, value }),
      fc.record({ column: fc.constant(column), oneOf: fc.array(value, { maxLength: 4 }) }),
    ];
    if (isNullable(world, entity, column))
      options.push(fc.record({ column: fc.constant(column), is: fc.constantFrom("is", "isNot"), value: fc.constant(null) }));
    return fc.oneof(...options);
  });
  if (depth === 0 || relationNames(world, entity).length === 0) return single;
  const deeper = testOf(world, entity, depth - 1);
  const along = fc
    .constantFrom(...relationNames(world, entity))
    .chain((name) => fc.record({ along: fc.constant(name), test: testOf(world, endOf(world, entity, name)[1], depth - 1) }));
  // Keys at the end of a way, against those that rows have to it: they lead there, nowhere, or are missing in part.
  const ends = relationNames(world, entity).flatMap((name) => {
    const way = wayOf(world, entity, name);
    if (!("to" in way) || !way.isOne) return [];
    const here = [way.here].flat();
    // Values that are alike without being the same are compared by their form here.
    const isPlain = (column: string) => world.entities[way.to]?.columns[column]?.startsWith("ordered") === true;
    return [way.there].flat().flatMap((column, i) => (isPlain(column) ? [[name, column, here[i] as string] as const] : []));
  });
  const held = () =>
    fc.constantFrom(...ends).chain(([along, column, own]) =>
      fc.record({
        along: fc.constant(along),
        test: fc.record({ column: fc.constant(column), is: fc.constantFrom("is" as const, "isNot" as const), value: someValue(world, entity, own) }),
      }),
    );
  return fc.oneof(
    { weight: 4, arbitrary: single },
    ...(ends.length === 0 ? [] : [{ weight: 1, arbitrary: held() }]),
    { weight: 1, arbitrary: fc.record({ all: fc.array(deeper, { maxLength: 3 }) }) },
    { weight: 1, arbitrary: fc.record({ any: fc.array(deeper, { maxLength: 3 }) }) },
    { weight: 1, arbitrary: fc.record({ not: deeper }) },
    { weight: 2, arbitrary: along },
  );
}

const sometimes = <T>(arbitrary: fc.Arbitrary<T>): fc.Arbitrary<T | undefined> => fc.option(arbitrary, { nil: undefined, freq: 2 });

const oneIn = (times: number): fc.Arbitrary<boolean> => fc.nat({ max: times - 1 }).map((value) => value === 0);
const withDeep = (spec: Spec, name: string, deep: number | undefined): Spec =>
  deep === undefined ? spec : { ...spec, deep, reach: Object.fromEntries(Object.entries(spec.reach).filter(([other]) => other !== name)) };

/** Random queries of an entity; `isOne`: of a to-one relation, where there is nothing to narrow. */
export function specOf(world: World, entity: string, depth: number, isOne = false): fc.Arbitrary<Spec> {
  const order = fc.array(fc.record({ column: fc.constantFrom(...plainColumns(world, entity)), descending: fc.boolean() }), {
    maxLength: 2,
  });
  const names = depth === 0 ? fc.constant([]) : fc.subarray(relationNames(world, entity), { maxLength: Math.min(2, relationNames(world, entity).length) });
  const reach = names.chain((chosen) =>
    fc.record(
      Object.fromEntries(
        chosen.map((name): [string, fc.Arbitrary<Spec>] => {
          const [isOne, target] = endOf(world, entity, name);
          const spec = specOf(world, target, depth - 1, isOne);
          const isOwn = target === entity && "to" in wayOf(world, entity, name);
          if (!isOwn) return [name, isOne ? spec : fc.tuple(spec, oneIn(5)).map(([one, counted]) => ({ ...one, counted }))];
          return [name, fc.tuple(spec, sometimes(fc.integer({ min: 1, max: 4 }))).map(([one, deep]) => withDeep(one, name, deep))];
        }),
      ),
    ),
  );
  const how = sometimes(fc.constantFrom<Strategy>("auto", "join", "batch", "nest"));
  const named = fc.option(fc.subarray(membersOf(world, entity), { minLength: 1 }), { nil: undefined, freq: 3 });
  if (isOne) return fc.record({ how, reach, columns: named });
  const where = sometimes(testOf(world, entity, 2));
  const beside = fc.option(fc.record({ column: fc.constantFrom(...plainColumns(world, entity)), test: testOf(world, entity, 1) }), { nil: undefined, freq: 5 });
  const [limit, offset] = [sometimes(fc.nat({ max: 6 })), sometimes(fc.nat({ max: 3 }))];
  return fc.record({ where, beside, order: sometimes(order), limit, offset, how, reach, columns: named });
}

/** Random queries of random entities. */
export const anyQuery = (world: World): fc.Arbitrary<{ readonly entity: string; readonly spec: Spec }> =>
  fc.constantFrom(...Object.keys(world.entities)).chain((entity) => fc.record({ entity: fc.constant(entity), spec: specOf(world, entity, 2) }));
