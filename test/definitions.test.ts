import { expect, test } from "vitest";
import { openEditor } from "./support/editor.js";

const setting = `import { and, type Database, type UnitOfWork, type Live, type NewRowOf, type PlainRowOf, date, entities, entity, firstOf, from, identity, integer, model, text, toMany, toOne, union, value, via } from "gemach";
class Lending extends entities({
  Depot: entity("depot", { id: identity, name: text, parentId: integer.nullable, site: value({ street: text }), notes: text.heavy.nullable }, {
    items: toMany("Item", { by: "depotId" }), parent: toOne("Depot", { by: "parentId" }), loans: via("items", "lent"),
  }),
  Item: entity("item", { id: identity, depotId: integer, label: text, rank: integer.defaulted, turn: integer.version }, { depot: toOne("Depot", { by: "depotId" }), lent: toMany("Loan", { by: "itemId" }) }),
  Loan: entity("loan", { id: identity, itemId: integer, due: date, returned: date.nullable }, { item: toOne("Item", { by: "itemId" }) }),
}) {}
const { Depot, Item, Loan } = model(Lending);
declare const db: Database;
declare const w: UnitOfWork;
`;
const { put, definitions, renames, mistakes } = openEditor(setting);

/** Names in queries, writes and rows: the bar is right behind the first letter. */
const places: readonly string[] = [
  "from(Loan).where((l) => l.d|ue.is('2026-01-01'));",
  "from(Loan).where((l) => l.r|eturned.is(null));",
  "from(Loan).where((l) => l.i|tem.label.is('x'));",
  "from(Loan).where((l) => l.item.l|abel.is('x'));",
  "from(Loan).where((l) => l.item.d|epot.name.is('x'));",
  "from(Depot).where((d) => d.i|tems.exists());",
  "from(Depot).where((d) => d.items.l|ent.exists());",
  "from(Depot).where((d) => d.items.where((i) => i.r|ank.is(1)).exists());",
  "from(Depot).where((d) => d.l|oans.exists());",
  "from(Depot).where((d) => d.s|ite.street.is('x'));",
  "from(Depot).where((d) => d.site.s|treet.is('x'));",
  "from(Loan).orderBy((l) => l.d|ue.asc);",
  "from(Loan).select((l) => l.d|ue);",
  "from(Loan).select((l) => ({ x: l.d|ue }));",
  "from(Depot).select((d) => ({ x: d.items.select((i) => i.l|abel) }));",
  "from(Loan).groupBy((l) => l.i|temId);",
  "from(Loan).groupBy((l) => l.itemId).select((g) => g.max((l) => l.d|ue));",
  "from(Loan).totals((g) => g.max((l) => l.d|ue));",
  "from(Loan).join(Item, (l, i) => l.itemId.is(i.r|ank));",
  "from(Loan).reach({ i|tem: true });",
  "from(Loan).reach({ item: { d|epot: true } });",
  "from(Depot).reach({ items: (i) => i.where((x) => x.r|ank.is(1)) });",
  "from(Depot).reach({ items: (i) => i.reach({ l|ent: true }) });",
  "db.insert(Loan, [{ itemId: 1, d|ue: '2026-01-01' }]);",
  "db.insert(Loan, [{ itemId: 1, due: '2026-01-01', r|eturned: null }]);",
  "db.insert(Item, [{ depotId: 1, label: 'x', r|ank: 1 }]);",
  "db.insert(Depot, [{ name: 'x', site: { s|treet: 'y' } }]);",
  "db.upsert(Loan, [{ itemId: 1, d|ue: '2026-01-01' }]);",
  "db.upsert(Loan, [], { set: (o, f) => ({ d|ue: f.due }) });",
  "db.upsert(Loan, [], { set: (o, f) => ({ due: f.d|ue }) });",
  "db.update(from(Loan), { d|ue: '2026-01-01' });",
  "db.update(from(Loan), (l) => ({ d|ue: l.due }));",
  "db.update(from(Loan), (l) => ({ due: l.d|ue }));",
  "db.update(from(Depot), { site: { s|treet: 'x' } });",
  "db.updateRows(Loan, [{ id: 1, d|ue: '2026-01-01' }]);",
  "db.updateRows(Loan, [{ i|d: 1, due: '2026-01-01' }]);",
  "(await db.list(from(Loan)))[0]?.d|ue;",
  "(await db.list(from(Depot)))[0]?.site.s|treet;",
  "(await db.list(from(Loan).columns('due')))[0]?.d|ue;",
  "(await db.list(from(Loan).reach({ item: true })))[0]?.d|ue;",
  "(await db.list(from(Loan).reach({ item: true })))[0]?.i|tem;",
  "(await db.list(from(Loan).reach({ item: true })))[0]?.item.l|abel;",
  "(await db.list(from(Depot).reach({ items: { lent: true } })))[0]?.items[0]?.l|ent;",
  "(await db.insert(Loan, [], { returning: true }))[0]?.d|ue;",
  "db.insert(Loan, [], { returning: (l) => l.d|ue });",
  "(p: PlainRowOf<typeof Loan>) => p.d|ue;",
  "(n: NewRowOf<typeof Loan>) => n.d|ue;",
  "(await w.byKey(Loan, 1)).d|ue;",
  "(await w.byKey(Loan, 1)).due; (await w.byKey(Loan, 1)).i|d;",
  "(await w.byKey(Loan, 1)).i|tem;",
  "(await (await w.byKey(Loan, 1)).item).l|abel;",
  "(await w.byKey(Depot, 1)).n|otes;",
  "(await w.byKey(Depot, 1)).i|tems;",
  "(await w.list(from(Loan).reach({ item: true })))[0]?.item.l|abel;",
  "(await w.list(from(Loan).columns('id', 'due')))[0]?.d|ue;",
  "w.add(Loan, { itemId: 1, d|ue: '2026-01-01' });",
  "w.add(Loan, { i|tem: await w.byKey(Item, 1), due: '2026-01-01' });",
  "w.add(Depot, { name: 'x', site: { street: 'y' }, i|tems: [] });",
  "const loan = await w.byKey(Loan, 1); loan.d|ue = '2026-01-01';",
  "from(Loan).columns('d|ue');",
  "from(Depot).descend('p|arent');",
];

const nameAt = (line: string) => line.replace(/^.*?(\w*)\|(\w*).*$/s, "$1$2");

test("from names in queries, writes and rows an editor leads to their lines in the model, and renames them there", () => {
  // All of them in one file, which is read once.
  const scopes = places.map((line) => `async () => { ${line} };\n`);
  put(scopes.join("").replaceAll("|", ""));
  expect(mistakes()).toEqual([]);
  let behind = setting.length;
  const missing = scopes.filter((scope) => {
    const at = behind + scope.indexOf("|");
    behind += scope.length - 1;
    const isDefinition = (start: number) => new RegExp(`^${nameAt(scope)}: `).test(setting.slice(start));
    return !definitions(at).some(isDefinition) || !renames(at).some(isDefinition);
  });
  // Of texts, compilers know the type, and no definition.
  expect(missing.map(nameAt)).toEqual(["due", "parent"]);
  expect(missing.every((scope) => scope.includes("'"))).toBe(true);
}, 240_000);
