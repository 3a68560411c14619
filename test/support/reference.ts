import fc from "fast-check";
import { lending, type Society } from "../../src/demo/index.js";
import { and, from, not, or, type Query, type Strategy } from "../../src/index.js";

/**
 * Queries as plain data, with two meanings: the library's query, and an evaluation over plain arrays
 * that shares nothing with it.
 */
type Name = Exclude<keyof typeof lending, "Tag" | "Inspection" | "Reservation" | "FormerLoan">;
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
  /** Only these columns of each row. */
  readonly columns?: readonly string[] | undefined;
  /** Of a reached relation: the number of its rows in place of them. */
  readonly counted?: boolean | undefined;
  /** Of a reached relation to the entity itself: how many levels. */
  readonly deep?: number | undefined;
}

/** A relation as an evaluation sees it: over a key of here or there, or through others. */
type Way =
  | {
      readonly to: Name;
      readonly here: string;
      readonly there: string;
      readonly isOne: boolean;
      readonly when?: (row: Row) => boolean;
      readonly order?: Spec["order"];
    }
  | { readonly through: readonly string[] };

const up = (to: Name, here: string, there = "id"): Way => ({ to, here, there, isOne: true });
const down = (to: Name, there: string, here = "id"): Way => ({ to, here, there, isOne: false });
const isOpen = (row: Row) => row.returned === null;

/** Relations and columns, told once more by hand so that a mistake of the model does not repeat here. */
const relations: Record<Name, Record<string, Way>> = {
  District: {
    depots: down("Depot", "districtId"),
    items: { through: ["depots", "items"] },
    loans: { through: ["depots", "items", "loans"] },
    borrowers: { through: ["depots", "items", "loans", "borrower"] },
  },
  Depot: {
    district: up("District", "districtId"),
    items: down("Item", "depotId"),
    openLoans: { through: ["items", "openLoans"] },
  },
  Item: {
    depot: up("Depot", "depotId"),
    loans: down("Loan", "itemId"),
    openLoans: {
      to: "Loan",
      here: "id",
      there: "itemId",
      isOne: false,
      when: isOpen,
      order: [{ column: "due", descending: true }],
    },
    manual: up("Manual", "id", "itemId"),
    repairs: down("Repair", "itemId"),
    kits: { through: ["~KitItem", "kit"] },
    "~KitItem": down("KitItem", "itemId"),
  },
  Loan: {
    item: up("Item", "itemId"),
    borrower: up("Member", "memberId"),
    depot: { through: ["item", "depot"] },
    district: { through: ["item", "depot", "district"] },
  },
  Member: {
    loans: down("Loan", "memberId"),
    sponsor: up("Member", "sponsorId"),
    sponsored: down("Member", "sponsorId"),
    borrowed: { through: ["loans", "item"] },
    skills: { through: ["~MemberSkill", "skill"] },
    "~MemberSkill": down("MemberSkill", "memberId"),
  },
  Manual: { item: up("Item", "itemId") },
  Category: {
    parent: up("Category", "parentId"),
    children: down("Category", "parentId"),
    kits: down("Kit", "categoryId"),
  },
  Kit: {
    category: up("Category", "categoryId"),
    parts: down("KitItem", "kitId"),
    items: { through: ["parts", "item"] },
  },
  KitItem: { kit: up("Kit", "kitId"), item: up("Item", "itemId") },
  Skill: { members: { through: ["~MemberSkill", "member"] }, "~MemberSkill": down("MemberSkill", "skillCode", "code") },
  MemberSkill: { member: up("Member", "memberId"), skill: up("Skill", "skillCode", "code") },
  Repair: { item: up("Item", "itemId"), volunteer: up("Member", "volunteerId") },
};

const relationNames = (entity: Name): string[] => Object.keys(relations[entity]).filter((name) => !name.startsWith("~"));

const columns: Record<Name, Record<string, "ordered" | "boolean" | "own">> = {
  District: { id: "ordered", name: "ordered" },
  Depot: { id: "ordered", districtId: "ordered", name: "ordered", town: "ordered" },
  Item: { id: "ordered", depotId: "ordered", name: "ordered", note: "ordered" },
  Loan: { id: "ordered", itemId: "ordered", memberId: "ordered", due: "ordered", returned: "ordered" },
  Member: { id: "ordered", name: "ordered", blocked: "boolean", sponsorId: "ordered" },
  Manual: { itemId: "ordered", title: "ordered", language: "ordered" },
  Category: { id: "ordered", name: "ordered", parentId: "ordered" },
  Kit: { id: "ordered", categoryId: "ordered", name: "ordered" },
  KitItem: { kitId: "ordered", itemId: "ordered", quantity: "ordered" },
  Skill: { code: "ordered", name: "ordered" },
  MemberSkill: { memberId: "ordered", skillCode: "ordered" },
  Repair: { id: "ordered", itemId: "ordered", volunteerId: "ordered", begun: "ordered", cost: "own", findings: "own" },
};
const plainColumns = (entity: Name): string[] => Object.keys(columns[entity]).filter((name) => columns[entity][name] !== "own");

const keys: Partial<Record<Name, readonly string[]>> = {
  Manual: ["itemId"],
  KitItem: ["kitId", "itemId"],
  Skill: ["code"],
  MemberSkill: ["memberId", "skillCode"],
};
const keyOf = (entity: Name): readonly string[] => keys[entity] ?? ["id"];

const nullable = new Set(["note", "returned", "sponsorId", "parentId", "volunteerId"]);

const wayOf = (entity: Name, name: string): Way => {
  const way = relations[entity][name];
  if (way === undefined) throw new Error(`${entity} has no ${name}`);
  return way;
};

/** Where a relation leads, and whether to one row. */
function endOf(entity: Name, name: string): readonly [isOne: boolean, target: Name, order?: Spec["order"]] {
  const way = wayOf(entity, name);
  if ("to" in way) return [way.isOne, way.to, way.order];
  let at: readonly [boolean, Name, Spec["order"]?] = [true, entity];
  for (const step of way.through) {
    const [isOne, target, order] = endOf(at[1], step);
    at = [at[0] && isOne, target, order];
  }
  return at;
}

/** The rows of a relation, each once. */
function related(society: Society, entity: Name, row: Row, name: string): readonly Row[] {
  const way = wayOf(entity, name);
  if ("to" in way) {
    if (row[way.here] === null) return [];
    return (society[way.to] as readonly Row[]).filter((other) => other[way.there] === row[way.here] && (way.when?.(other) ?? true));
  }
  let [rows, at]: [readonly Row[], Name] = [[row], entity];
  for (const step of way.through) {
    rows = [...new Set(rows.flatMap((each) => related(society, at, each, step)))];
    at = endOf(at, step)[1];
  }
  return rows;
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
    const [isOne, target] = endOf(entity, test.along);
    const others = row === undefined ? [] : related(society, entity, row, test.along);
    if (isOne) return passes(society, target, others[0], test.test);
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

function narrowed(society: Society, entity: Name, rows: readonly Row[], spec: Spec, own: Spec["order"] = []): readonly Row[] {
  const { where, offset = 0, limit = Number.POSITIVE_INFINITY } = spec;
  const order = spec.order === undefined || spec.order.length === 0 ? own : spec.order;
  const descending = order.at(-1)?.descending ?? false;
  const terms = [...order, ...keyOf(entity).map((column) => ({ column, descending }))];
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
export const expected = (society: Society, entity: Name, spec: Spec): readonly Row[] =>
  narrowed(society, entity, society[entity], spec).map((row) => whole(society, entity, row, spec));

/** A row with its columns and what it reaches. */
function whole(society: Society, entity: Name, row: Row, spec: Spec): Row {
  const own = Object.keys(columns[entity]).filter((name) => spec.columns?.includes(name) ?? true);
  const made: Record<string, unknown> = Object.fromEntries(own.map((name) => [name, row[name] ?? null]));
  for (const [name, inner] of Object.entries(spec.reach)) made[name] = reached(society, entity, row, name, inner, [row]);
  return made;
}

/** What a relation gives for a row; `way`: the rows on the way, each of which is on it once. */
function reached(society: Society, entity: Name, row: Row, name: string, inner: Spec, way: readonly Row[]): unknown {
  const [isOne, target, order] = endOf(entity, name);
  const all = narrowed(society, target, related(society, entity, row, name), inner, order);
  if (inner.counted) return all.length;
  const { deep } = inner;
  const found = all
    .filter((other) => deep === undefined || !way.includes(other))
    .map((other) => {
      const made = whole(society, target, other, inner);
      if (deep === undefined) return made;
      const below = deep === 1 ? (isOne ? null : []) : reached(society, target, other, name, { ...inner, deep: deep - 1 }, [...way, other]);
      return { ...made, [name]: below };
    });
  return isOne ? (found[0] ?? null) : deep === 0 ? [] : found;
}

// biome-ignore lint/suspicious/noExplicitAny: random queries are put together without types
type Untyped = any;

function predicate(entity: Name, row: Untyped, test: Test): Untyped {
  if ("all" in test) return and(...test.all.map((part) => predicate(entity, row, part)));
  if ("any" in test) return or(...test.any.map((part) => predicate(entity, row, part)));
  if ("not" in test) return not(predicate(entity, row, test.not));
  if ("along" in test) {
    const [isOne, target] = endOf(entity, test.along);
    if (isOne) return predicate(target, row[test.along], test.test);
    return row[test.along].where((other: Untyped) => predicate(target, other, test.test)).exists();
  }
  if ("oneOf" in test) return row[test.column].oneOf(test.oneOf);
  return row[test.column][test.is](test.value);
}

function shaped(entity: Name, start: Untyped, { where, order, limit, offset, how, reach, columns: named, counted, deep }: Spec): Untyped {
  let query = start;
  if (where !== undefined) query = query.where((row: Untyped) => predicate(entity, row, where));
  if (order !== undefined) query = query.orderBy((row: Untyped) => order.map(({ column, descending }) => (descending ? row[column].desc : row[column].asc)));
  if (limit !== undefined) query = query.limit(limit);
  if (offset !== undefined) query = query.offset(offset);
  if (how !== undefined) query = query.how(how);
  if (named !== undefined) query = query.columns(...named);
  if (counted) return query.counted();
  const shape = shapeOf(entity, reach);
  if (Object.keys(shape).length > 0) query = query.reach(shape);
  return deep === undefined ? query : query.deep(deep);
}

/** What a reach takes. */
export const shapeOf = (entity: Name, reach: Spec["reach"]): object =>
  Object.fromEntries(Object.entries(reach).map(([name, spec]) => [name, (inner: Untyped) => shaped(endOf(entity, name)[1], inner, spec)]));

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
  const single = fc.constantFrom(...plainColumns(entity)).chain((column): fc.Arbitrary<Test> => {
    const value = someValue(society, entity, column);
    const isBoolean = columns[entity][column] === "boolean";
    const named = isBoolean ? fc.constantFrom("is", "isNot") : fc.constantFrom("is", "isNot", "below", "above", "atMost", "atLeast");
    const options: fc.Arbitrary<Test>[] = [
      fc.record({ column: fc.constant(column), is: named as fc.Arbitrary<"is">, value }),
      fc.record({ column: fc.constant(column), oneOf: fc.array(value, { maxLength: 4 }) }),
    ];
    if (nullable.has(column)) options.push(fc.record({ column: fc.constant(column), is: fc.constantFrom("is", "isNot"), value: fc.constant(null) }));
    return fc.oneof(...options);
  });
  if (depth === 0) return single;
  const deeper = testOf(society, entity, depth - 1);
  const along = fc
    .constantFrom(...relationNames(entity))
    .chain((name) => fc.record({ along: fc.constant(name), test: testOf(society, endOf(entity, name)[1], depth - 1) }));
  return fc.oneof(
    { weight: 4, arbitrary: single },
    { weight: 1, arbitrary: fc.record({ all: fc.array(deeper, { maxLength: 3 }) }) },
    { weight: 1, arbitrary: fc.record({ any: fc.array(deeper, { maxLength: 3 }) }) },
    { weight: 1, arbitrary: fc.record({ not: deeper }) },
    { weight: 2, arbitrary: along },
  );
}

const sometimes = <T>(arbitrary: fc.Arbitrary<T>): fc.Arbitrary<T | undefined> => fc.option(arbitrary, { nil: undefined, freq: 1 });

const oneIn = (times: number): fc.Arbitrary<boolean> => fc.nat({ max: times - 1 }).map((value) => value === 0);
const withDeep = (spec: Spec, name: string, deep: number | undefined): Spec =>
  deep === undefined ? spec : { ...spec, deep, reach: Object.fromEntries(Object.entries(spec.reach).filter(([other]) => other !== name)) };

/** Random queries of an entity; `isOne`: of a to-one relation, where there is nothing to narrow. */
export function specOf(society: Society, entity: Name, depth: number, isOne = false): fc.Arbitrary<Spec> {
  const order = fc.array(fc.record({ column: fc.constantFrom(...plainColumns(entity)), descending: fc.boolean() }), {
    maxLength: 2,
  });
  const names = depth === 0 ? fc.constant([]) : fc.subarray(relationNames(entity), { maxLength: Math.min(2, relationNames(entity).length) });
  const reach = names.chain((chosen) =>
    fc.record(
      Object.fromEntries(
        chosen.map((name): [string, fc.Arbitrary<Spec>] => {
          const [isOne, target] = endOf(entity, name);
          const spec = specOf(society, target, depth - 1, isOne);
          const isOwn = target === entity && "to" in wayOf(entity, name);
          if (!isOwn) return [name, isOne ? spec : fc.tuple(spec, oneIn(5)).map(([one, counted]) => ({ ...one, counted }))];
          return [name, fc.tuple(spec, sometimes(fc.integer({ min: 1, max: 4 }))).map(([one, deep]) => withDeep(one, name, deep))];
        }),
      ),
    ),
  );
  const how = sometimes(fc.constantFrom<Strategy>("auto", "join", "batch", "nest"));
  const named = fc.option(fc.subarray(Object.keys(columns[entity]), { minLength: 1 }), { nil: undefined, freq: 3 });
  if (isOne) return fc.record({ how, reach, columns: named });
  const where = sometimes(testOf(society, entity, 2));
  const [limit, offset] = [sometimes(fc.nat({ max: 6 })), sometimes(fc.nat({ max: 3 }))];
  return fc.record({ where, order: sometimes(order), limit, offset, how, reach, columns: named });
}

/** Random queries of random entities. */
export const anyQuery = (society: Society): fc.Arbitrary<{ readonly entity: Name; readonly spec: Spec }> =>
  fc.constantFrom(...(Object.keys(relations) as Name[])).chain((entity) => fc.record({ entity: fc.constant(entity), spec: specOf(society, entity, 2) }));
