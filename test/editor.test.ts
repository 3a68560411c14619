import { expect, test } from "vitest";
import { openEditor } from "./support/editor.js";

const { put, hover, completions, mistakes } =
  await openEditor(`import { and, type Database, date, entities, entity, from, identity, integer, linked, model, text, toMany, toOne, union, value, via } from "gemach";
class Lending extends entities({
  Depot: entity("depot", { id: identity, name: text, parentId: integer.nullable, site: value({ street: text }).nullable }, {
    items: toMany("Item", { by: "depotId" }), parent: toOne("Depot", { by: "parentId" }), loans: via("items", "loans"),
  }),
  Item: entity("item", { id: identity, depotId: integer, name: text }, { depot: toOne("Depot", { by: "depotId" }), loans: toMany("Loan", { by: "itemId" }) }),
  Loan: entity("loan", { id: identity, itemId: integer, due: date, returned: date.nullable }, { item: toOne("Item", { by: "itemId" }) }),
  Seen: entity("seen", { id: identity, name: text }, {}, { readOnly: true }),
}) {}
const lending = model(Lending);
const { Depot, Item, Loan, Seen } = lending;
declare const db: Database;
`);

/** What an editor shows over a name: at the bar. */
const hovers: readonly (readonly [line: string, shown: string])[] = [
  ["l|ending;", "const lending: Model<Lending>"],
  ["L|oan;", 'const Loan: Entity<Lending, "Loan">'],
  ["from(Loan).where((l|) => l.returned.is(null));", '(parameter) l: Reference<Lending, "Loan">'],
  ["from(Loan).where((l) => l.item.d|epot.name.is('x'));", '(property) depot: Reference<Lending, "Depot", false>'],
  ["from(Depot).where((d) => d.it|ems.exists());", '(property) items: RelatedSet<Lending, "Item">'],
  ["from(Depot).where((d) => d.loa|ns.item.exists());", '(property) loans: RelatedSet<Lending, "Loan">'],
  ["const q| = from(Seen).columns('name');", 'const q: EntityQuery<Lending, "Seen", {\n    name: string;\n}>'],
  ["const q| = from(Seen).select((s) => s.name);", 'const q: ProjectedQuery<Lending, "Seen", Text<string>>'],
  [
    "const q| = union(from(Loan).select((l) => ({ d: l.due })), from(Loan).select((l) => ({ d: l.returned })));",
    "const q: Derived<{\n    readonly d: Day<string | null>;\n}>",
  ],
  ["const q| = await db.list(from(Depot).select((d) => ({ site: d.site })));", "const q: {\n    site: {\n        street: string | null;\n    } | null;\n}[]"],
  [
    "const q| = from(Loan).groupBy((l) => l.itemId).select((g) => g.max((l) => l.due));",
    'const q: Selecting<Day<string>> & Grouped<[Reference<Lending, "Loan">], NumberExpression<number, "integer">>',
  ],
  ["const r| = await db.list(from(Loan));", 'const r: EntityRow<Lending, "Loan">[]'],
  [
    "const q| = from(Loan).reach({ item: true });",
    'const q: EntityQuery<Lending, "Loan", Reached<Lending, "Loan", EntityRow<Lending, "Loan">, NoInfer<{\n    readonly item: true;\n}>>>',
  ],
];

test.each(hovers)("over %s an editor shows a line", (line, shown) => {
  const info = hover(put(line));
  expect(info).toBe(shown);
  expect(shown.length).toBeLessThanOrEqual(150);
});

/** What an editor offers at the bar. */
const offers: readonly (readonly [line: string, offered: readonly string[]])[] = [
  ["from(Depot).descend('|');", ["parent"]],
  ["db.update(from(Loan), { | });", ["due", "id", "itemId", "returned"]],
  ["db.insert(Loan, [{ | }]);", ["due", "id", "itemId", "returned"]],
  ["db.insert(Loan, [], { | });", ["progress", "returning", "signal", "timeLimit"]],
  ["db.upsert(Loan, [], { | });", ["by", "returning", "set", "signal", "timeLimit"]],
  ["db.upsert(Loan, [], { by: ['|'] });", ["due", "id", "itemId", "returned"]],
  ["db.update(from(Loan), {}, { | });", ["all", "returning", "signal", "timeLimit"]],
  ["from(Loan).reach({ | });", ["item"]],
  ["from(Loan).columns('|');", ["due", "id", "itemId", "returned"]],
  ["from(Loan).where((l) => l.|);", ["due", "id", "item", "itemId", "returned"]],
  ["Loan.|;", ["name", "newRowSchema", "partialRowSchema", "table"]],
  [
    "text.|;",
    [
      "as",
      "collated",
      "computed",
      "defaulted",
      "defaultsTo",
      "formerly",
      "heavy",
      "key",
      "meets",
      "named",
      "nullable",
      "onWrite",
      "secret",
      "startsAs",
      "storedAs",
      "unique",
      "version",
    ],
  ],
  ["from(Loan).select((l) => l.due).|;", ["accept", "after", "before", "distinct", "given", "how", "limit", "offset", "orderBy", "plannedAnew", "where"]],
];

test.each(offers)("at the bar of %s an editor offers what fits", (line, offered) => {
  expect(completions(put(line)).sort()).toEqual(offered);
});

/** What is wrong, the words under which the compiler draws its line, and what its last line has in it. */
const messages: readonly (readonly [line: string, underlined: string, words: string])[] = [
  [
    "class A extends entities({ B: entity('b', { id: identity, cId: integer }, { c: toOne('D', { by: 'cId' }) }) }) {}",
    "B",
    "there is no entity 'D' in this model",
  ],
  ["class A extends entities({ B: entity('b', { id: identity }, { c: toOne('B', { by: 'cId' }) }) }) {}", "B", "B has no column 'cId'"],
  ["class A extends entities({ B: entity('b', { id: identity }, { c: via('d') }) }) {}", "B", "B has no relation 'd'"],
  ["from(Loan).select((r) => r);", "r", "a row is no projection: name its columns"],
  ["from(Depot).select((d) => ({ items: d.items }));", "items", "a set is no projection"],
  ["db.list(Loan);", "Loan", "an entity is no query: make one with from(Entity)"],
  ["from(Depot).descend('items');", "'items'", "Argument of type '\"items\"' is not assignable to parameter of type '\"parent\"'."],
  ["db.insert(Loan, [{ itemId: 1, due: 5 }]);", "due", "Type 'number' is not assignable to type 'string'."],
  ["db.insert(Loan, [{ itemId: 1 }]);", "{ itemId: 1 }", "Property 'due' is missing in type '{ itemId: number; }'"],
  ["db.insert(Loan, [{ itemId: 1, due: 'x', lost: 1 }]);", "lost", "'lost' does not exist in type 'NewEntityRow<Lending, \"Loan\">'."],
  ["db.insert(Loan, [{ itemId: 1, due: 5 }], { returning: true });", "due", "Type 'number' is not assignable to type 'string'."],
  ["db.insert(Loan, [], { retrning: true });", "retrning", "Did you mean to write 'returning'?"],
  ["db.upsert(Loan, [], { by: ['itmId'] });", "'itmId'", "Did you mean '\"itemId\"'?"],
  ["db.update(from(Loan), { due: 5 });", "due", "Type 'number' is not assignable to type 'string | Expression<string, \"date\"> | undefined'."],
  ["db.update(from(Loan), { duee: 'x' });", "duee", "'duee' does not exist in type 'ColumnChanges<Lending, \"Loan\">"],
  ["db.insert(Seen, [{ name: 'x' }]);", "name", "Seen is read-only: it has no new rows"],
  ["from(Loan).reach({ item: (i) => { i.reach({ depot: true }); } });", "item", "Type 'void' is not assignable to type 'Query<unknown> | Counted'."],
  ["from(Loan).reach({ itm: true });", "itm", "Did you mean to write 'item'?"],
  ["from(Loan).orderBy((l) => l.due);", "l.due", "Type 'Day<string>' is not assignable to type 'Order | readonly Order[]'."],
  ["entity('a', { id: identity, name: text }, {}, { as: class { name = 5; } });", "as", "the class's property 'name' does not take the column's values"],
];

test.each(messages)("the compiler says of %s what is wrong, where it is", (line, underlined, words) => {
  put(line);
  const [found, ...others] = mistakes();
  expect(others).toEqual([]);
  expect(found?.underlined).toBe(underlined);
  // Of an entity that is wrong in its model, compilers print the whole type, several times.
  if (!line.includes("entities({")) expect(found?.text.length).toBeLessThan(500);
  expect(found?.text.split("\n").at(-1)).toContain(words);
});
