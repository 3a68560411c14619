import { readFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, expect, test } from "vitest";
import { type Installed, install } from "./support/installed.js";
import { seed } from "./support/seed.js";

// What a package exports that is generic over rows, queries or entities has declarations: of the library as it is published.
let installed: Installed;
beforeAll(async () => {
  installed = await install();
});
afterAll(() => installed.remove());

const settings = {
  compilerOptions: {
    ...{ strict: true, exactOptionalPropertyTypes: true, noUncheckedIndexedAccess: true, declaration: true, emitDeclarationOnly: true },
    ...{ target: "es2023", module: "nodenext", moduleResolution: "nodenext", types: [], rootDir: "src", outDir: "out", skipLibCheck: true },
  },
  include: ["src"],
};

const modelText = `import { boolean, date, entities, entity, identity, integer, model, text, toMany, toOne } from "gemach";
export class Lending extends entities({
  Depot: entity("depot", { id: identity, name: text }, { items: toMany("Item", { by: "depotId" }) }),
  Item: entity("item", { id: identity, depotId: integer, name: text }, { depot: toOne("Depot", { by: "depotId" }), loans: toMany("Loan", { by: "itemId" }) }),
  Loan: entity("loan", { id: identity, itemId: integer, memberId: integer, due: date, returned: date.nullable }, { item: toOne("Item", { by: "itemId" }), borrower: toOne("Member", { by: "memberId" }) }),
  Member: entity("member", { id: identity, name: text, blocked: boolean }),
}) {}
export const lending = model(Lending);
`;

const helpersText = `import { type AnyDatabase, type Database, type Definitions, type Entity, type EntityName, type EntityQuery, exists, from, type KeyOf, type NewRowOf, type PlainRow, type Query, type QueryOf, type RowOf, type Transaction, type UnitOfWork } from "gemach";
import { type Lending, lending } from "./model.js";
const { Loan, Item, Depot, Member } = lending;
export const h1 = <R>(q: QueryOf<typeof Loan, R>) => q.limit(3);
export const h2 = <R>(q: QueryOf<typeof Loan, R>) => q.where((l) => l.due.below("2026-01-01"));
export const h3 = <R>(q: QueryOf<typeof Loan, R>) => q.orderBy((l) => l.due.asc).limit(3);
export const h4 = <R>(q: QueryOf<typeof Loan, R>) => q.reach({ item: { depot: true }, borrower: true });
export const h5 = <R>(q: QueryOf<typeof Loan, R>) => q.reach({ item: (i) => i.reach({ depot: true }) });
export const h6 = <R>(q: QueryOf<typeof Loan, R>) => q.select((l) => ({ due: l.due, item: l.item.name }));
export const h7 = <R>(q: QueryOf<typeof Loan, R>) => q.groupBy((l) => l.itemId).select((g) => ({ key: g.key, n: g.count() }));
export const h8 = <R>(q: QueryOf<typeof Loan, R>) => q.columns("id", "due");
export const h9 = <R>(q: QueryOf<typeof Loan, R>) => q.reach({ item: true }).reach({ borrower: true });
export const h10 = <R>(q: QueryOf<typeof Loan, R>) => q.join(Member, (l, m) => l.memberId.is(m.id)).select((l, m) => ({ due: l.due, name: m.name }));
export const h11 = <R>(db: AnyDatabase, q: QueryOf<typeof Loan, R>) => db.list(q);
export const h12 = <R>(db: AnyDatabase, q: QueryOf<typeof Loan, R>) => db.list(q.reach({ item: true }));
export const h13 = async <R>(db: AnyDatabase, q: QueryOf<typeof Loan, R>) => (await db.list(q.reach({ item: true })))[0];
export const h14 = <R>(db: AnyDatabase, q: QueryOf<typeof Loan, R>) => db.page(q.reach({ item: true }), { size: 10 });
export const h15 = <R>(db: AnyDatabase, q: QueryOf<typeof Loan, R>) => db.maybe(q.reach({ item: { loans: true } }));
export const h16 = <Row>(db: AnyDatabase, q: Query<Row>) => db.list(q);
export const h17 = <Row>(q: Query<Row>) => ({ q });
export function h18<D extends Definitions<D>, E extends EntityName<D>>(entity: Entity<D, E>) { return from(entity); }
export function h19<D extends Definitions<D>, E extends EntityName<D>>(entity: Entity<D, E>, key: KeyOf<D, E>) { return from(entity).byKey(key); }
export function h20<D extends Definitions<D>, E extends EntityName<D>>(db: AnyDatabase, entity: Entity<D, E>) { return db.list(from(entity)); }
export async function h21<D extends Definitions<D>, E extends EntityName<D>>(db: AnyDatabase, entity: Entity<D, E>, key: KeyOf<D, E>) { return await db.maybe(from(entity).byKey(key)); }
export class Repository<D extends Definitions<D>, E extends EntityName<D>> {
  constructor(readonly db: AnyDatabase, readonly entity: Entity<D, E>) {}
  all() { return this.db.list(from(this.entity)); }
  one(key: KeyOf<D, E>) { return this.db.maybe(from(this.entity).byKey(key)); }
  query() { return from(this.entity); }
  first() { return this.db.list(from(this.entity).limit(1)); }
  count() { return this.db.count(from(this.entity)); }
}
export class Loans extends Repository<Lending, "Loan"> {
  late() { return this.db.list(this.query().where((l) => l.returned.is(null)).reach({ item: true })); }
}
export const h22 = <R>(w: UnitOfWork, q: QueryOf<typeof Loan, R>) => w.list(q);
export const h23 = <R>(w: UnitOfWork, q: QueryOf<typeof Loan, R>) => w.list(q.reach({ item: true }));
export const h24 = async (w: UnitOfWork) => (await w.list(from(Loan).reach({ item: true })))[0];
export const h25 = (w: UnitOfWork, id: number) => w.byKey(Loan, id);
export function h26<D extends Definitions<D>, E extends EntityName<D>>(w: UnitOfWork, entity: Entity<D, E>, key: KeyOf<D, E>) { return w.byKey(entity, key); }
export function h27<D extends Definitions<D>, E extends EntityName<D>>(w: UnitOfWork, entity: Entity<D, E>) { return w.list(from(entity)); }
export const h28 = <Q extends QueryOf<typeof Loan, unknown>>(q: Q) => q.limit(2);
export const h29 = <Q extends EntityQuery<Lending, "Loan", unknown>>(q: Q) => q.where((l) => l.due.isNot("2026-01-01"));
export const h30 = <R>(q: QueryOf<typeof Loan, R>) => exists(q);
export const h31 = <R>(q: QueryOf<typeof Item, R>) => q.select((i) => ({ n: i.loans.count(), last: i.loans.max((l) => l.due) }));
export const h32 = <R>(q: QueryOf<typeof Depot, R>) => q.reach({ items: { loans: { borrower: true } } });
export const h33 = <R extends { readonly id: number }>(q: QueryOf<typeof Depot, R>) => q.reach({ items: true });
export const h34 = (q: QueryOf<typeof Depot, PlainRow<Lending, "Depot">>) => q.reach({ items: true });
export const h35 = from(Depot).reach({ items: { loans: { borrower: true, item: { depot: { items: true } } } } });
export const h37 = <R>(q: QueryOf<typeof Loan, R>) => q.outside("refuse");
export const h38 = from(Loan).outside("refuse");
export const h39 = <R>(q: QueryOf<typeof Loan, R>, flag: boolean) => (flag ? q.reach({ item: true }) : q.reach({ borrower: true }));
export const h40 = <T>(db: Database, work: (tx: Transaction) => Promise<T>) => db.transaction(work);
export const h41 = <R>(q: QueryOf<typeof Loan, R>) => q.given(3, (x, n) => x.limit(n));
export const h42 = <R>(q: QueryOf<typeof Loan, R>): RowOf<typeof q>[] => [];
export const h43 = (row: NewRowOf<typeof Loan>) => row.due;
`;

const compilers = [5, 6, 7].filter((version) => process.env.CI === "true" || version !== 5 + (seed % 2)) as readonly (5 | 6 | 7)[];
test.each(compilers)("what is exported and generic has small declarations, and soon, by TypeScript %i", { timeout: 300_000 }, async (version) => {
  const folder = `declared-${version}`;
  installed.write(`${folder}/tsconfig.json`, JSON.stringify(settings));
  installed.write(`${folder}/package.json`, '{ "type": "module" }');
  installed.write(`${folder}/src/model.ts`, modelText);
  installed.write(`${folder}/src/helpers.ts`, helpersText);
  // A compiler that does not end, or takes gigabytes, is ended.
  expect(await installed.compile(version, "-p", folder)).toBe("");
  const text = readFileSync(join(installed.folder, folder, "out/helpers.d.ts"), "utf8");
  const parts = text.split(/^export declare /m).slice(1);
  expect(parts.length).toBeGreaterThan(40);
  expect(parts.filter((part) => part.length > 2000)).toEqual([]);
});
