import { entity, from, identity, integer, json, linked, list, model, text, timestamp, toMany, toOne, uuid, value, via } from "../../src/index.js";
import { Code, coded } from "./coded.js";

let clock = 0;
const now = () => new Date(1_700_000_000_000 + ++clock);

const present = { column: "gone", is: null, removed: now } as const;

export const archive = model({
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
      notes: via("items", "notes"),
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
  Tally: entity("ra_tally", { id: integer.key, n: integer, turn: integer.version }, {}, { open: "both houses count here" }),
  Visit: entity("ra_visit", { at: timestamp.key, boxId: integer.nullable, name: text }, { box: toOne("Box", { by: "boxId" }) }, { open: "visits are public" }),
});
export type Kind = Exclude<keyof typeof archive, "Tally">;
export const kinds: readonly Kind[] = ["House", "Shelf", "Box", "Seal", "Item", "Note", "Label", "Mark", "Visit"];
// biome-ignore lint/suspicious/noExplicitAny: the test chooses entities and relations by chance
export type Any = any;

export const houses = ["0f8fad5b-d9cb-469f-a165-70867728950e", "7c9e6679-7425-40de-944b-e07fc1f90ae7"] as const;
export const aisles = ["1", "01", "a", "A", "á", "-0", "null"];
export const uuidOf = (n: number): string => `aaaaaaaa-0000-4000-8000-${n.toString(16).padStart(12, "0")}`;

/** A row of the evaluator; `parts` are the columns that are neither keys nor references. */
export interface Row {
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
export type World = Row[];

/** The relation over which a row is somebody's. */
const through: Readonly<Partial<Record<Kind, string>>> = { Seal: "box", Item: "box", Note: "item", Mark: "item" };
/** Whether the handle of a row's house sees it: it is not marked, and nor is what it is somebody's by. */
export const isSeen = (row: Row): boolean => {
  const by = row.refs[through[row.kind] ?? ""];
  return !row.isMarked && (by === undefined || by === null || isSeen(by));
};

/** What leads to one row: the relation's name and the kind. */
export const single: Readonly<Record<Kind, Readonly<Record<string, Kind>>>> = {
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
export const many: Readonly<Partial<Record<Kind, Readonly<Record<string, readonly [Kind, string]>>>>> = {
  Shelf: { boxes: ["Box", "shelf"] },
  Box: { parts: ["Box", "parent"], items: ["Item", "box"], visits: ["Visit", "box"] },
  Item: { notes: ["Note", "item"], marks: ["Mark", "item"] },
  Label: { marks: ["Mark", "label"] },
};

/** What leads to many rows over others: the rows, of all that there are. */
export const far: Readonly<Partial<Record<Kind, Readonly<Record<string, readonly [Kind, (row: Row, world: World) => readonly Row[]]>>>>> = {
  Box: { notes: ["Note", (row, world) => world.filter((one) => one.kind === "Note" && one.refs.item?.refs.box === row && isSeen(one))] },
  Item: {
    labels: ["Label", (row, world) => world.flatMap((one) => (one.kind === "Mark" && one.refs.item === row ? [one.refs.label as Row] : []))],
  },
};

/** A row as the database has it, without what the database or the clock gives. */
export function plain({ kind, key, name, n, refs, isMarked, house }: Row): Record<string, unknown> {
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
export function told(kind: Kind, row: Any): Record<string, unknown> {
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
export const sorted = (rows: readonly object[]) => rows.map((row) => JSON.stringify(row, Object.keys(row).sort())).sort();
/** A query of all rows of a kind, those that are hidden too. */
export const every = (kind: Kind): Any => {
  const lifted = { Shelf: ["own"], Box: ["own", "present"], Seal: ["own"], Item: ["own", "present"], Note: ["own"], Mark: ["own"] } as Record<string, string[]>;
  return (from(archive[kind] as Any) as Any).lift(...(lifted[kind] ?? []));
};
const columnsOfBox = ["id", "aisle", "place", "parentId", "name", "initial", "gone", "tags", "facts", "content", "size", "changed", "turn"];
export const everyWhole = (kind: Kind): Any => (kind === "Box" ? every(kind).columns(...columnsOfBox) : every(kind));

export function copyOf(world: World): World {
  const copies = new Map(world.map((row) => [row, { ...row, refs: {} as Row["refs"], live: undefined as Any }]));
  for (const [row, copy] of copies) {
    for (const [name, other] of Object.entries(row.refs)) copy.refs[name] = other === null ? null : (copies.get(other) as Row);
    copy.markedWith = row.markedWith === undefined ? undefined : copies.get(row.markedWith);
  }
  return [...copies.values()];
}
