import fc from "fast-check";
import { expect } from "vitest";
import {
  type AnyDatabase,
  createTables,
  type Database,
  entity,
  from,
  identity,
  integer,
  json,
  linked,
  list,
  model,
  type Transaction,
  text,
  timestamp,
  toMany,
  toOne,
  type UnitOfWork,
  uuid,
  value,
} from "../src/index.js";
import { Code, coded } from "./support/coded.js";
import { eachEngine, useEngines } from "./support/engines.js";

// The second random test of units of work: keys of every kind and in other spellings, restricted handles, rows that are only marked as
// removed, what belongs to what, versions, values of each write, hooks. It leaves out two works at once and other tables' triggers.
const { all } = useEngines(true);
const sequences = Number(process.env.GEMACH_ARCHIVES ?? (process.env.CI ? 150 : 25));
let clock = 0;
const now = () => new Date(1_700_000_000_000 + ++clock);

const present = { column: "gone", is: null, removed: now } as const;

const archive = model({
  House: entity("ra_house", { id: uuid.key, name: text }, { shelves: toMany("Shelf", { by: "houseId" }) }),
  Shelf: entity(
    "ra_shelf",
    { aisle: text.key, place: integer.key, houseId: uuid, name: text, changed: timestamp.onWrite(now), turn: integer.version },
    { house: toOne("House", { by: "houseId" }), boxes: toMany("Box", { by: ["aisle", "place"] }) },
    { standing: { own: { column: "houseId", given: "house" } } },
  ),
  Box: entity(
    "ra_box",
    {
      id: identity,
      aisle: text,
      place: integer,
      parentId: integer.nullable,
      name: text,
      initial: text,
      gone: timestamp.nullable,
      tags: list(text),
      facts: json<{ n: number }>(),
      content: text.heavy,
      size: integer.computed,
      changed: timestamp.onWrite(now),
      turn: integer.version,
    },
    {
      shelf: toOne("Shelf", { by: ["aisle", "place"] }),
      parent: toOne("Box", { by: "parentId" }),
      parts: toMany("Box", { by: "parentId" }),
      items: toMany("Item", { by: "boxId", owns: true }),
      visits: toMany("Visit", { by: "boxId" }),
      seal: toOne("Seal", { keyInTarget: "boxId" }),
    },
    { standing: { present, own: { through: "shelf" } }, computes: (b) => ({ size: b.name.length() }) },
  ),
  Seal: entity("ra_seal", { boxId: integer.key, name: text }, { box: toOne("Box", { by: "boxId" }) }, { standing: { own: { through: "box" } } }),
  Item: entity(
    "ra_item",
    { id: uuid.key, boxId: integer, name: text, price: value({ amount: integer, unit: text }), gone: timestamp.nullable },
    {
      box: toOne("Box", { by: "boxId" }),
      notes: toMany("Note", { by: "itemId", owns: true }),
      marks: toMany("Mark", { by: "itemId", owns: true }),
      labels: linked("Label", { by: "Mark" }),
    },
    { standing: { present, own: { through: "box" } } },
  ),
  Note: entity("ra_note", { id: identity, itemId: uuid, name: text }, { item: toOne("Item", { by: "itemId" }) }, { standing: { own: { through: "item" } } }),
  Label: entity("ra_label", { code: coded.key, name: text }, { marks: toMany("Mark", { by: "code" }) }, { open: "labels are everybody's" }),
  Mark: entity(
    "ra_mark",
    { itemId: uuid.key, code: coded.key, name: text },
    { item: toOne("Item", { by: "itemId" }), label: toOne("Label", { by: "code" }) },
    { standing: { own: { through: "item" } } },
  ),
  Visit: entity("ra_visit", { at: timestamp.key, boxId: integer.nullable, name: text }, { box: toOne("Box", { by: "boxId" }) }, { open: "visits are public" }),
});
type Kind = keyof typeof archive;
const kinds: readonly Kind[] = ["House", "Shelf", "Box", "Seal", "Item", "Note", "Label", "Mark", "Visit"];
// biome-ignore lint/suspicious/noExplicitAny: the test chooses entities and relations by chance
type Any = any;

const houses = ["0f8fad5b-d9cb-469f-a165-70867728950e", "7c9e6679-7425-40de-944b-e07fc1f90ae7"] as const;
const aisles = ["1", "01", "a", "A", "á", "-0", "null"];
const uuidOf = (n: number): string => `aaaaaaaa-0000-4000-8000-${n.toString(16).padStart(12, "0")}`;

/** A row of the evaluator; `parts` are the columns that are neither keys nor references. */
interface Row {
  readonly kind: Kind;
  readonly house: number | undefined;
  key: Any;
  name: string;
  n: number;
  refs: Record<string, Row | null>;
  isMarked: boolean;
  markedWith: Row | undefined;
  /** Unlike that of any other: SQLite gives the key of a row that is gone to a new one. */
  readonly born: object;
  live: Any | undefined;
}
type World = Row[];

/** The relation over which a row is somebody's. */
const through: Readonly<Partial<Record<Kind, string>>> = { Seal: "box", Item: "box", Note: "item", Mark: "item" };
/** Whether the handle of a row's house sees it: it is not marked, and nor is what it is somebody's by. */
const isSeen = (row: Row): boolean => {
  const by = row.refs[through[row.kind] ?? ""];
  return !row.isMarked && (by === undefined || by === null || isSeen(by));
};

/** What leads to one row: the relation's name and the kind. */
const single: Readonly<Record<Kind, Readonly<Record<string, Kind>>>> = {
  House: {},
  Shelf: {},
  Box: { shelf: "Shelf", parent: "Box" },
  Seal: { box: "Box" },
  Item: { box: "Box" },
  Note: { item: "Item" },
  Label: {},
  Mark: { item: "Item", label: "Label" },
  Visit: { box: "Box" },
};
/** What leads to many: whose reference it is the other way of. */
const many: Readonly<Partial<Record<Kind, Readonly<Record<string, readonly [Kind, string]>>>>> = {
  Shelf: { boxes: ["Box", "shelf"] },
  Box: { parts: ["Box", "parent"], items: ["Item", "box"], visits: ["Visit", "box"] },
  Item: { notes: ["Note", "item"], marks: ["Mark", "item"] },
  Label: { marks: ["Mark", "label"] },
};

/** A row as the database has it, without what the database or the clock gives. */
function plain({ kind, key, name, n, refs, isMarked, house }: Row): Record<string, unknown> {
  const boxId = refs.box?.key ?? null;
  switch (kind) {
    case "House":
    case "Label":
      return { key, name };
    case "Shelf":
      return { key, name, houseId: houses[house as number] };
    case "Box": {
      const [aisle, place] = (refs.shelf as Row).key as [string, number];
      return { key, name, aisle, place, parentId: refs.parent?.key ?? null, initial: name[0], n, tags: [name], content: `c${n}`, size: name.length, isMarked };
    }
    case "Item":
      return { key, name, boxId, amount: n, isMarked };
    case "Note":
      return { key, name, itemId: refs.item?.key };
    default:
      return kind === "Visit" ? { key, name, boxId } : { key, name };
  }
}
/** The same of a row that the database gave. */
function told(kind: Kind, row: Any): Record<string, unknown> {
  const { name } = row;
  switch (kind) {
    case "House":
      return { key: row.id, name };
    case "Shelf":
      return { key: [row.aisle, row.place], name, houseId: row.houseId };
    case "Box": {
      const { id, aisle, place, parentId, initial, tags, content, size } = row;
      return { key: id, name, aisle, place, parentId, initial, n: row.facts.n, tags, content, size, isMarked: row.gone !== null };
    }
    case "Seal":
      return { key: row.boxId, name };
    case "Item":
      return { key: row.id, name, boxId: row.boxId, amount: row.price.amount, isMarked: row.gone !== null };
    case "Note":
      return { key: row.id, name, itemId: row.itemId };
    case "Label":
      return { key: Code.of(row.code), name };
    case "Mark":
      return { key: [row.itemId, Code.of(row.code)], name };
    case "Visit":
      return { key: row.at.toISOString(), name, boxId: row.boxId };
  }
}
const sorted = (rows: readonly object[]) => rows.map((row) => JSON.stringify(row, Object.keys(row).sort())).sort();
/** A query of all rows of a kind, those that are hidden too. */
const every = (kind: Kind): Any => {
  const lifted = { Shelf: ["own"], Box: ["own", "present"], Seal: ["own"], Item: ["own", "present"], Note: ["own"], Mark: ["own"] } as Record<string, string[]>;
  return (from(archive[kind] as Any) as Any).lift(...(lifted[kind] ?? []));
};
const columnsOfBox = ["id", "aisle", "place", "parentId", "name", "initial", "gone", "tags", "facts", "content", "size", "changed", "turn"];
const everyWhole = (kind: Kind): Any => (kind === "Box" ? every(kind).columns(...columnsOfBox) : every(kind));

class Play {
  readonly world: World;
  readonly w: UnitOfWork;
  readonly house: number;
  readonly #unwritten = new Set<Row>();
  #count: number;

  constructor(world: World, w: UnitOfWork, house: number, count: number) {
    [this.world, this.w, this.house, this.#count] = [world, w, house, count];
  }

  /** One of the rows that this handle sees; those that are marked only where they are asked for. */
  some(n: number, kind: Kind, isMarked = false): Row | undefined {
    const fitting = this.world.filter(
      (row) => row.kind === kind && (isMarked ? row.isMarked : isSeen(row)) && (row.house === undefined || row.house === this.house),
    );
    return fitting[n % Math.max(1, fitting.length)];
  }

  keyOf({ kind, key }: Row, n: number): Any {
    switch (kind) {
      case "Shelf":
        return { aisle: key[0], place: key[1] };
      case "Mark":
        return { itemId: n % 2 ? key[0] : key[0].toUpperCase(), code: new Code(key[1]) };
      case "Label":
        return new Code(key);
      case "Visit":
        return new Date(key);
      default:
        return typeof key === "string" && n % 2 ? key.toUpperCase() : key;
    }
  }

  async live(row: Row): Promise<Any> {
    const key = this.keyOf(row, ++this.#count);
    if (row.live === undefined) {
      if (row.isMarked) [row.live] = (await this.w.list(every(row.kind).byKey(key))) as Any[];
      else row.live = await this.w.byKey(archive[row.kind] as Any, key);
    }
    return row.live;
  }

  known(kind: Kind, live: Any): Row {
    const key = JSON.stringify(told(kind, { facts: {}, price: {}, gone: null, ...live }).key);
    const row = this.world.find((one) => one.live === live) ?? this.world.find((one) => one.kind === kind && JSON.stringify(one.key) === key);
    if (row === undefined) throw new Error(`a ${kind} that is not there: ${key}`);
    if (row.live !== undefined) expect(row.live, `two of one ${kind}`).toBe(live);
    row.live = live;
    return row;
  }

  add(kind: Kind, live: Any, key: Any, refs: Row["refs"], n = 0): Row {
    const isOpen = kind === "Label" || kind === "Visit";
    const row: Row = { kind, house: isOpen ? undefined : this.house, key, name: live.name, n, refs, isMarked: false, markedWith: undefined, born: {}, live };
    this.world.push(row);
    this.#unwritten.add(row);
    return row;
  }

  gone(row: Row): void {
    this.world.splice(this.world.indexOf(row), 1);
  }

  refersTo(row: Row, ...but: readonly Kind[]): boolean {
    return this.world.some((other) => !but.includes(other.kind) && Object.values(other.refs).includes(row));
  }

  async flush(): Promise<void> {
    await this.w.flush();
    this.#unwritten.clear();
    for (const row of this.world)
      if (row.key === undefined && row.live !== undefined) row.key = told(row.kind, { facts: {}, price: {}, ...row.live, gone: null }).key;
    for (const row of this.world) if (row.kind === "Seal") row.key = row.refs.box?.key;
  }

  async step([kind, a, b, c]: readonly [number, number, number, number]): Promise<void> {
    const { w, world } = this;
    const name = `n${++this.#count}`;
    const [shelf, box, item, label] = [this.some(a, "Shelf"), this.some(b, "Box"), this.some(c, "Item"), this.some(a, "Label")];
    switch (kind) {
      case 0: {
        const key = [aisles[a % aisles.length] as string, b % 3];
        if (world.some((row) => row.kind === "Shelf" && row.key[0] === key[0] && row.key[1] === key[1])) return;
        // The handle's own value may be left out.
        const live = w.add(archive.Shelf, { aisle: key[0], place: key[1], name, ...(c % 2 ? { houseId: houses[this.house] } : {}) } as Any);
        this.add("Shelf", live, key, {});
        return;
      }
      case 1: {
        if (shelf === undefined) return;
        const parent = c % 2 === 0 ? box : undefined;
        const live = w.add(archive.Box, {
          ...{ name, tags: [name], facts: { n: c }, content: `c${c}`, shelf: await this.live(shelf), ...(parent ? { parent: await this.live(parent) } : {}) },
        } as Any);
        this.add("Box", live, undefined, { shelf, parent: parent ?? null }, c);
        return;
      }
      case 2: {
        if (box === undefined) return;
        const id = uuidOf(this.#count);
        const notes = c % 2 ? [{ name: `${name}a` }, { name: `${name}b` }] : [];
        const live: Any = w.add(archive.Item, {
          id: c % 3 ? id : id.toUpperCase(),
          name,
          price: { amount: c, unit: "x" },
          box: await this.live(box),
          notes,
        } as Any);
        if (b % 5 === 0) {
          // What was never written is nothing once it is removed, with all that came along.
          w.remove(live);
          return;
        }
        const row = this.add("Item", live, id, { box }, c);
        for (const note of notes.length ? await live.notes : []) this.add("Note", note, undefined, { item: row });
        return;
      }
      case 3: {
        const code = ["7", "07", "é", "e\u0301", "x", "X"][b % 6] as string;
        if (label === undefined || c % 3 === 0) {
          if (!world.some((row) => row.kind === "Label" && row.key === code)) this.add("Label", w.add(archive.Label, { code: new Code(code), name }), code, {});
          return;
        }
        if (item === undefined || world.some((row) => row.kind === "Mark" && row.refs.item === item && row.refs.label === label)) return;
        this.add("Mark", w.add(archive.Mark, { name, item: await this.live(item), label: await this.live(label) } as Any), [item.key, label.key], {
          item,
          label,
        });
        return;
      }
      case 4: {
        const at = new Date(1_600_000_000_000 + this.#count * 1000);
        const live = w.add(archive.Visit, { at, name, ...(box && c % 2 ? { box: await this.live(box) } : { boxId: null }) } as Any);
        this.add("Visit", live, at.toISOString(), { box: (c % 2 ? box : undefined) ?? null });
        return;
      }
      case 5: {
        if (box === undefined || world.some((row) => row.kind === "Seal" && row.refs.box === box)) return;
        this.add("Seal", w.add(archive.Seal, { name, box: await this.live(box) } as Any), box.key, { box });
        return;
      }
      case 6:
      case 7: {
        const row = this.some(b, kinds[(a % (kinds.length - 1)) + 1] as Kind);
        if (row === undefined) return;
        const live = await this.live(row);
        live.name = row.name = name;
        if (row.kind === "Box") {
          row.n = c;
          // Of what another step changes as well.
          live.tags = [name];
          live.content = `c${c}`;
          live.facts.n = c;
        }
        if (row.kind === "Item") live.price.amount = row.n = c;
        return;
      }
      case 8: {
        // Moves: by the relation, or by its key.
        const row = this.some(a, (["Item", "Box", "Visit"] as const)[c % 3] as Kind);
        if (row === undefined || (row.kind !== "Box" && box === undefined)) return;
        const live = await this.live(row);
        if (row.kind === "Box") {
          const other = this.some(b, "Shelf") as Row;
          row.refs.shelf = other;
          if (c % 2 === 0) live.shelf = await this.live(other);
          else {
            // Lists that are loaded follow a key once it is written.
            [live.aisle, live.place] = other.key;
            await this.flush();
          }
          return;
        }
        row.refs.box = box as Row;
        if (c % 2 === 0 || box?.key === undefined) live.box = await this.live(box as Row);
        else {
          live.boxId = box.key;
          await this.flush();
        }
        return;
      }
      case 9: {
        const row = this.some(a, "Box");
        if (row === undefined || row === box) return;
        const other = c % 3 === 0 ? null : (box ?? null);
        (await this.live(row)).parent = other && (await this.live(other));
        row.refs.parent = other;
        return;
      }
      case 10: {
        const row = c % 2 ? this.some(a, "Box") : item;
        if (row === undefined) return;
        // One that was never written cannot come back.
        if (this.#unwritten.has(row)) await this.flush();
        w.remove(await this.live(row));
        if (b % 4 === 0) {
          await w.restore(row.live);
          return;
        }
        await this.flush();
        row.isMarked = true;
        row.markedWith = undefined;
        if (row.kind !== "Box") return;
        for (const own of world) if (own.kind === "Item" && own.refs.box === row && !own.isMarked) [own.isMarked, own.markedWith] = [true, row];
        return;
      }
      case 11: {
        const row = this.some(a, c % 2 ? "Box" : "Item", true);
        // An item of a marked box would be seen by nobody's relation.
        if (row === undefined || (row.kind === "Item" && row.refs.box?.isMarked)) return;
        await w.restore(await this.live(row));
        await this.flush();
        row.isMarked = false;
        for (const own of world) if (own.kind === "Item" && own.markedWith === row && own.refs.box === row) [own.isMarked, own.markedWith] = [false, undefined];
        return;
      }
      case 12: {
        const row = this.some(a, (["Note", "Mark", "Visit", "Seal"] as const)[b % 4] as Kind);
        if (row === undefined || Object.values(row.refs).some((ref) => ref?.isMarked)) return;
        w.remove(await this.live(row));
        this.gone(row);
        return;
      }
      case 13: {
        const row = this.some(a, b % 2 ? "Item" : "Box", c % 2 === 0);
        if (row === undefined || (row.kind === "Box" && this.refersTo(row, "Item"))) return;
        await this.flush();
        // One that this work has marked is read anew.
        if (row.isMarked) row.live = undefined;
        w.removeForGood(await this.live(row));
        const items = row.kind === "Box" ? world.filter((own) => own.kind === "Item" && own.refs.box === row) : [row];
        for (const own of items) for (const part of world.filter((one) => one.refs.item === own)) this.gone(part);
        for (const own of items) this.gone(own);
        if (row.kind === "Box") this.gone(row);
        await this.flush();
        return;
      }
      case 14:
      case 15: {
        const row = this.some(b, kinds[(a % (kinds.length - 1)) + 1] as Kind);
        const names = row === undefined ? [] : Object.keys(many[row.kind] ?? {});
        if (row === undefined || names.length === 0) return;
        const relation = names[c % names.length] as string;
        const [target, by] = (many[row.kind] as Any)[relation] as [Kind, string];
        const found: Any[] = await (await this.live(row))[relation];
        await this.flush();
        const expected = world.filter(
          (other) => other.kind === target && other.refs[by] === row && isSeen(other) && (other.house ?? this.house) === this.house,
        );
        expect(new Set(found.map((live) => this.known(target, live))), `${row.kind}.${relation}`).toEqual(new Set(expected));
        return;
      }
      case 16: {
        const row = this.some(b, kinds[(a % (kinds.length - 1)) + 1] as Kind);
        const names = row === undefined ? [] : Object.keys(single[row.kind]);
        if (row === undefined || names.length === 0) return;
        const relation = names[c % names.length] as string;
        const expected = row.refs[relation] ?? null;
        // A row that must be there and is hidden is an error of its own.
        if (expected?.isMarked || (expected !== null && expected.house !== undefined && expected.house !== this.house)) return;
        const found = await (await this.live(row))[relation];
        await this.flush();
        expect(found === null ? null : this.known(expected?.kind ?? "Box", found), `${row.kind}.${relation}`).toBe(expected);
        return;
      }
      case 17:
      case 18: {
        const of = kinds[a % kinds.length] as Kind;
        const seen = world.filter((row) => row.kind === of && isSeen(row) && (row.house === undefined || row.house === this.house || of === "House"));
        const query = from(archive[of] as Any) as Any;
        if (b % 3 === 0) {
          expect(await w.count(query), `count of ${of}`).toBe(seen.length);
          return;
        }
        const lives: Any[] = [];
        if (b % 3 === 1) for await (const live of w.stream(query)) lives.push(live);
        else lives.push(...((await w.list(query)) as Any[]));
        await this.flush();
        expect(new Set(lives.map((live) => this.known(of, live))), `list of ${of}`).toEqual(new Set(seen));
        for (const live of lives) expect([live.name, of === "Box" ? live.size : 0]).toEqual([this.known(of, live).name, of === "Box" ? live.name.length : 0]);
        return;
      }
      case 19: {
        const row = this.some(b, kinds[(a % (kinds.length - 1)) + 1] as Kind);
        if (row?.live === undefined) return;
        await this.flush();
        if (c % 2) await w.refresh(row.live);
        else {
          w.forget(row.live);
          row.live = undefined;
        }
        expect((await this.live(row)).name).toBe(row.name);
        return;
      }
      case 20: {
        if (item === undefined) return;
        await this.flush();
        const old = world.find((row) => row.kind === "Note" && row.refs.item === item);
        await w.patch(await this.live(item), {
          name,
          price: { amount: a },
          notes: [{ name: `${name}x` }, ...(old ? [{ id: old.key, name: `${name}y` }] : [])],
        } as Any);
        item.name = name;
        item.n = a;
        if (old) old.name = `${name}y`;
        await this.flush();
        const added = (await item.live.notes).find((note: Any) => note.name === `${name}x`);
        this.add("Note", added, added.id, { item });
        return;
      }
      default: {
        // Errors that are caught: nothing of them is left.
        const other = world.find((row) => row.kind === "Shelf" && row.house !== this.house);
        if (other !== undefined) await expect(w.byKey(archive.Shelf, this.keyOf(other, 0))).rejects.toMatchObject({ code: "NONE_FOUND" });
        const wrong = () => w.add(archive.Item, { id: uuidOf(1), name, colour: 1, price: { amount: 1, unit: "x" }, boxId: 1 } as Any);
        expect(wrong).toThrow();
        if (item === undefined) return;
        await expect(w.patch(await this.live(item), { name: "lost", colour: 1 } as Any)).rejects.toMatchObject({ code: expect.any(String) });
      }
    }
  }
}

const step = fc.tuple(fc.nat(21), fc.nat(40), fc.nat(40), fc.nat(40));
const works = fc.array(
  fc.record({ steps: fc.array(step, { maxLength: 30, size: "max" }), house: fc.nat(1), isThrown: fc.boolean(), cohort: fc.constantFrom(1, undefined) }),
  {
    minLength: 1,
    maxLength: 4,
  },
);

function copyOf(world: World): World {
  const copies = new Map(world.map((row) => [row, { ...row, refs: {} as Row["refs"], live: undefined as Any }]));
  for (const [row, copy] of copies) {
    for (const [name, other] of Object.entries(row.refs)) copy.refs[name] = other === null ? null : (copies.get(other) as Row);
    copy.markedWith = row.markedWith === undefined ? undefined : copies.get(row.markedWith);
  }
  return [...copies.values()];
}

eachEngine(
  all,
  "random works over an archive of nine entities leave in the database what they leave in memory",
  async (plainDb, engine) => {
    await createTables(plainDb, archive);
    const db = engine.connect({
      hooks: {
        beforeWrite: ({ entity: of, kind, fresh, columns }) =>
          of === "Box" && kind !== "delete" && columns.includes("name") ? { initial: String(fresh?.name)[0] } : undefined,
      },
    });
    const numRuns = Math.ceil(engine.name === "sqlite" ? sequences : sequences / 5);
    const undone = new Error("undone");
    let count = 0;
    const rowsOf = async (at: AnyDatabase): Promise<Record<Kind, Any[]>> => {
      const rows: Any = {};
      for (const kind of kinds) rows[kind] = await at.list(everyWhole(kind));
      return rows;
    };
    await fc.assert(
      fc.asyncProperty(works, fc.boolean(), async (sequence, isInside) => {
        await db.update(every("Box"), { parentId: null } as Any, { all: true });
        for (const kind of ["Mark", "Note", "Visit", "Seal", "Item", "Box", "Shelf", "Label", "House"] as const)
          await db.deleteForGood(every(kind), { all: true });
        await db.insert(
          archive.House,
          houses.map((id, i) => ({ id, name: `h${i}` })),
        );
        let world: World = houses.map((key, i) => ({
          kind: "House",
          house: undefined,
          key,
          name: `h${i}`,
          n: 0,
          refs: {},
          isMarked: false,
          markedWith: undefined,
          born: {},
          live: undefined,
        }));
        let before = await rowsOf(db);
        const playAll = async (at: Database | Transaction) => {
          for (const { steps, isThrown, cohort, house } of sequence) {
            const next = copyOf(world);
            const earlier = world;
            const working = (at.as({ house: houses[house] as string }) as Database).work(
              async (w) => {
                count += 1000;
                const play = new Play(next, w, house, count);
                for (const one of steps) await play.step(one);
                await play.flush();
                if (isThrown) throw undone;
              },
              cohort === undefined ? {} : { cohort },
            );
            if (isThrown) await expect(working).rejects.toBe(undone);
            else {
              await working;
              world = next;
            }
            const found = await rowsOf(at);
            for (const kind of kinds)
              expect(sorted(found[kind].map((row) => told(kind, row))), kind).toEqual(sorted(world.filter((row) => row.kind === kind).map(plain)));
            // What was written has a later version and a later time; what was not has the same.
            for (const kind of ["Shelf", "Box"] as const)
              for (const row of found[kind]) {
                const key = JSON.stringify(told(kind, row).key);
                const old = before[kind].find((one) => JSON.stringify(told(kind, one).key) === key);
                const bornIn = (at: World) => at.find((one) => one.kind === kind && JSON.stringify(one.key) === key)?.born;
                if (old === undefined || bornIn(earlier) !== bornIn(world)) continue;
                const isSame = JSON.stringify(told(kind, row)) === JSON.stringify(told(kind, old));
                if (!isSame) expect([row.turn > old.turn, row.changed > old.changed]).toEqual([true, true]);
                if (isThrown) expect(row).toEqual(old);
              }
            before = found;
          }
        };
        await (isInside ? db.transaction(playAll) : playAll(db));
      }),
      { numRuns, includeErrorInReport: true },
    );
  },
  Math.max(600_000, sequences * 2_000),
);
