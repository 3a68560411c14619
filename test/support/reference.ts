import fc from "fast-check";
import { lending, type Society } from "../../src/demo/index.js";
import { and, from, not, or, type Query, type Strategy } from "../../src/index.js";

/**
 * Queries as plain data, with two meanings: the library's query, and an evaluation over plain arrays
 * that shares nothing with it.
 */
type Name = keyof typeof lending;
type Row = Readonly<Record<string, unknown>>;

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
  readonly how?: Strategy | undefined;
  readonly reach: Readonly<Record<string, Spec>>;
}

/** Relations and columns, told once more by hand so that a mistake of the model does not repeat here. */
const relations: Record<Name, Record<string, readonly ["one" | "many", Name, string]>> = {
  District: { depots: ["many", "Depot", "districtId"] },
  Depot: { district: ["one", "District", "districtId"], items: ["many", "Item", "depotId"] },
  Item: { depot: ["one", "Depot", "depotId"], loans: ["many", "Loan", "itemId"] },
  Loan: { item: ["one", "Item", "itemId"], borrower: ["one", "Member", "memberId"] },
  Member: {
    loans: ["many", "Loan", "memberId"],
    sponsor: ["one", "Member", "sponsorId"],
    sponsored: ["many", "Member", "sponsorId"],
  },
};

const columns: Record<Name, Record<string, "number" | "text" | "day" | "boolean">> = {
  District: { id: "number", name: "text" },
  Depot: { id: "number", districtId: "number", name: "text", town: "text" },
  Item: { id: "number", depotId: "number", name: "text", note: "text" },
  Loan: { id: "number", itemId: "number", memberId: "number", due: "day", returned: "day" },
  Member: { id: "number", name: "text", blocked: "boolean", sponsorId: "number" },
};

const nullable = new Set(["note", "returned", "sponsorId"]);

const relationOf = (entity: Name, name: string) => {
  const relation = relations[entity][name];
  if (relation === undefined) throw new Error(`${entity} has no ${name}`);
  return relation;
};

function related(society: Society, entity: Name, row: Row, name: string): readonly Row[] {
  const [cardinality, target, by] = relationOf(entity, name);
  const rows = society[target] as readonly Row[];
  return rows.filter((other) => (cardinality === "one" ? other.id === row[by] : other[by] === row.id));
}

const compare = (a: unknown, b: unknown): number => {
  if (a === b) return 0;
  if (a === null) return -1;
  if (b === null) return 1;
  return (a as string) < (b as string) ? -1 : 1;
};

function passes(society: Society, entity: Name, row: Row | undefined, test: Test): boolean {
  if ("all" in test) return test.all.every((part) => passes(society, entity, row, part));
  if ("any" in test) return test.any.some((part) => passes(society, entity, row, part));
  if ("not" in test) return !passes(society, entity, row, test.not);
  if ("along" in test) {
    const [cardinality, target] = relationOf(entity, test.along);
    const others = row === undefined ? [] : related(society, entity, row, test.along);
    if (cardinality === "one") return passes(society, target, others[0], test.test);
    return others.some((other) => passes(society, target, other, test.test));
  }
  const value = row?.[test.column] ?? null;
  if ("oneOf" in test) return test.oneOf.includes(value);
  if (test.is === "is") return value === test.value;
  if (test.is === "isNot") return value !== test.value;
  if (value === null) return false;
  const sign = compare(value, test.value);
  return { below: sign < 0, above: sign > 0, atMost: sign <= 0, atLeast: sign >= 0 }[test.is];
}

function narrowed(society: Society, entity: Name, rows: readonly Row[], spec: Spec): readonly Row[] {
  const { where, order = [], offset = 0, limit = Number.POSITIVE_INFINITY } = spec;
  const descending = order.at(-1)?.descending ?? false;
  const terms = [...order, { column: "id", descending }];
  return rows
    .filter((row) => where === undefined || passes(society, entity, row, where))
    .sort((a, b) => {
      for (const term of terms) {
        const sign = compare(a[term.column], b[term.column]);
        if (sign !== 0) return term.descending ? -sign : sign;
      }
      return 0;
    })
    .slice(offset, offset + limit);
}

/** What a query must give, worked out over plain arrays. */
export function expected(
  society: Society,
  entity: Name,
  spec: Spec,
  rows: readonly Row[] = society[entity],
): readonly Row[] {
  return narrowed(society, entity, rows, spec).map((row) => {
    const whole: Record<string, unknown> = Object.fromEntries(
      Object.keys(columns[entity]).map((name) => [name, row[name] ?? null]),
    );
    for (const [name, inner] of Object.entries(spec.reach)) {
      const [cardinality, target] = relationOf(entity, name);
      const found = expected(society, target, inner, related(society, entity, row, name));
      whole[name] = cardinality === "many" ? found : (found[0] ?? null);
    }
    return whole;
  });
}

// biome-ignore lint/suspicious/noExplicitAny: random queries are put together without types
type Untyped = any;

function predicate(entity: Name, row: Untyped, test: Test): Untyped {
  if ("all" in test) return and(...test.all.map((part) => predicate(entity, row, part)));
  if ("any" in test) return or(...test.any.map((part) => predicate(entity, row, part)));
  if ("not" in test) return not(predicate(entity, row, test.not));
  if ("along" in test) {
    const [cardinality, target] = relationOf(entity, test.along);
    if (cardinality === "one") return predicate(target, row[test.along], test.test);
    return row[test.along].where((other: Untyped) => predicate(target, other, test.test)).exists();
  }
  if ("oneOf" in test) return row[test.column].oneOf(test.oneOf);
  return row[test.column][test.is](test.value);
}

function shaped(entity: Name, start: Untyped, { where, order, limit, offset, how, reach }: Spec): Untyped {
  let query = start;
  if (where !== undefined) query = query.where((row: Untyped) => predicate(entity, row, where));
  if (order !== undefined)
    query = query.orderBy((row: Untyped) =>
      order.map(({ column, descending }) => (descending ? row[column].desc : row[column].asc)),
    );
  if (limit !== undefined) query = query.limit(limit);
  if (offset !== undefined) query = query.offset(offset);
  if (how !== undefined) query = query.how(how);
  const parts = Object.entries(reach).map(([name, spec]) => {
    const [, target] = relationOf(entity, name);
    return [name, (inner: Untyped) => shaped(target, inner, spec)];
  });
  return parts.length === 0 ? query : query.reach(Object.fromEntries(parts));
}

/** The library's query. */
export const queryOf = (entity: Name, spec: Spec): Query => shaped(entity, from(lending[entity] as Untyped), spec);

/** The same with no strategy named anywhere. */
export const withoutHow = (spec: Spec): Spec => ({
  ...spec,
  how: undefined,
  reach: Object.fromEntries(Object.entries(spec.reach).map(([name, inner]) => [name, withoutHow(inner)])),
});

const someValue = (society: Society, entity: Name, column: string): fc.Arbitrary<unknown> => {
  const found = (society[entity] as readonly Row[]).map((row) => row[column] ?? null).filter((value) => value !== null);
  return fc.constantFrom(...(found.length === 0 ? [1] : found));
};

function testOf(society: Society, entity: Name, depth: number): fc.Arbitrary<Test> {
  const single = fc.constantFrom(...Object.keys(columns[entity])).chain((column): fc.Arbitrary<Test> => {
    const value = someValue(society, entity, column);
    const isBoolean = columns[entity][column] === "boolean";
    const named = isBoolean
      ? fc.constantFrom("is", "isNot")
      : fc.constantFrom("is", "isNot", "below", "above", "atMost", "atLeast");
    const options: fc.Arbitrary<Test>[] = [
      fc.record({ column: fc.constant(column), is: named as fc.Arbitrary<"is">, value }),
      fc.record({ column: fc.constant(column), oneOf: fc.array(value, { maxLength: 4 }) }),
    ];
    if (nullable.has(column))
      options.push(
        fc.record({ column: fc.constant(column), is: fc.constantFrom("is", "isNot"), value: fc.constant(null) }),
      );
    return fc.oneof(...options);
  });
  if (depth === 0) return single;
  const deeper = testOf(society, entity, depth - 1);
  const along = fc
    .constantFrom(...Object.keys(relations[entity]))
    .chain((name) =>
      fc.record({ along: fc.constant(name), test: testOf(society, relationOf(entity, name)[1], depth - 1) }),
    );
  return fc.oneof(
    { weight: 4, arbitrary: single },
    { weight: 1, arbitrary: fc.record({ all: fc.array(deeper, { maxLength: 3 }) }) },
    { weight: 1, arbitrary: fc.record({ any: fc.array(deeper, { maxLength: 3 }) }) },
    { weight: 1, arbitrary: fc.record({ not: deeper }) },
    { weight: 2, arbitrary: along },
  );
}

const sometimes = <T>(arbitrary: fc.Arbitrary<T>): fc.Arbitrary<T | undefined> =>
  fc.option(arbitrary, { nil: undefined, freq: 1 });

/** Random queries of an entity; `isOne`: of a to-one relation, where there is nothing to narrow. */
export function specOf(society: Society, entity: Name, depth: number, isOne = false): fc.Arbitrary<Spec> {
  const order = fc.array(
    fc.record({ column: fc.constantFrom(...Object.keys(columns[entity])), descending: fc.boolean() }),
    { maxLength: 2 },
  );
  const names = depth === 0 ? fc.constant([]) : fc.subarray(Object.keys(relations[entity]));
  const reach = names.chain((chosen) =>
    fc.record(
      Object.fromEntries(
        chosen.map((name): [string, fc.Arbitrary<Spec>] => {
          const [cardinality, target] = relationOf(entity, name);
          return [name, specOf(society, target, depth - 1, cardinality === "one")];
        }),
      ),
    ),
  );
  const how = sometimes(fc.constantFrom<Strategy>("auto", "join", "batch"));
  if (isOne) return fc.record({ how, reach });
  const where = sometimes(testOf(society, entity, 2));
  const [limit, offset] = [sometimes(fc.nat({ max: 6 })), sometimes(fc.nat({ max: 3 }))];
  return fc.record({ where, order: sometimes(order), limit, offset, how, reach });
}

/** Random queries of random entities. */
export const anyQuery = (society: Society): fc.Arbitrary<{ readonly entity: Name; readonly spec: Spec }> =>
  fc
    .constantFrom(...(Object.keys(relations) as Name[]))
    .chain((entity) => fc.record({ entity: fc.constant(entity), spec: specOf(society, entity, 3) }));
