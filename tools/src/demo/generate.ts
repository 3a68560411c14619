import type { Database, NewRowOf } from "gemach";
import { Euros } from "./domain.js";
import { lending } from "./lending.js";
import { type Random, randomFrom } from "./random.js";
/** The rows of a made-up lending society. */
export type Society = {
  readonly [E in Exclude<keyof typeof lending, "FormerLoan">]: readonly NewRowOf<(typeof lending)[E]>[];
};

const districtNames = [
  "Northbank",
  "Millside",
  "Old Harbour",
  "Greenfield",
  "Station Quarter",
  "Hillcrest",
  "Riverbend",
  "Market Ward",
];
const depotNames = ["Alder", "Birch", "Cedar", "Elm", "Hazel", "Juniper", "Linden", "Maple", "Rowan", "Willow"];
const depotKinds = ["Shed", "Cellar", "Yard", "Loft", "Garage"];
const towns = ["Ashford Vale", "Brockhollow", "Carrow", "Dunmere"];
const adjectives = ["Small", "Large", "Sturdy", "Folding", "Cordless", "Old", "Quiet", "Heavy"];
const things = [
  ...[
    "Drill",
    "Ladder",
    "Sander",
    "Sewing Machine",
    "Tile Cutter",
    "Pressure Washer",
    "Tent",
    "Projector",
    "Bread Oven",
  ],
  ...["Hedge Trimmer", "Jigsaw", "Toolbox", "Wheelbarrow", "Raclette Grill", "Carpet Cleaner", "Bike Trailer"],
];
const givenNames = [
  "Ada",
  "Bram",
  "Chiara",
  "Dov",
  "Esra",
  "Femi",
  "Greta",
  "Hugo",
  "Ines",
  "Jonas",
  "Kaya",
  "Lior",
  "Mina",
  "Noor",
  "Otto",
  "Pilar",
];
const familyNames = [
  "Abel",
  "Brandt",
  "Cohen",
  "Duval",
  "Eriksen",
  "Fuchs",
  "Gallo",
  "Haas",
  "Ivers",
  "Jansen",
  "Keller",
  "Levi",
  "Moreau",
  "Nowak",
];

const day = (offset: number): string => new Date(Date.UTC(2026, 0, 1) + offset * 86_400_000).toISOString().slice(0, 10);

const series = <T>(count: number, make: (index: number) => T): T[] =>
  Array.from({ length: count }, (_, index) => make(index));

function loan(random: Random, id: number, items: number, members: number): NewRowOf<typeof lending.Loan> {
  const due = random.whole(300);
  return {
    id,
    itemId: 1 + random.whole(items),
    memberId: 1 + random.whole(members),
    due: day(due),
    returned: random.chance(70) ? day(due - 5 + random.whole(9)) : null,
  };
}

const categoryNames = ["Garden", "Workshop", "Kitchen", "Festivities", "Outdoors"];
const skills = [
  { code: "wood", name: "Woodwork" },
  { code: "electric", name: "Electrics" },
  { code: "sewing", name: "Sewing" },
];

/** Manuals, kits in a tree of categories, skills and repairs; each third item has a manual. */
function around(random: Random, items: number, members: number) {
  const manuals = Math.floor(items / 3);
  const kits = Math.max(2, Math.ceil(items / 10));
  const inKit = new Map<string, NewRowOf<typeof lending.KitItem>>();
  for (let i = 0; i < kits * 3; i++) {
    const part = { kitId: 1 + random.whole(kits), itemId: 1 + random.whole(items), quantity: 1 + random.whole(3) };
    inKit.set(`${part.kitId}/${part.itemId}`, part);
  }
  const known = new Map<string, NewRowOf<typeof lending.MemberSkill>>();
  for (let i = 0; i < members; i++) {
    const skill = { memberId: 1 + random.whole(members), skillCode: random.pick(skills).code };
    known.set(`${skill.memberId}/${skill.skillCode}`, skill);
  }
  return {
    Manual: series(manuals, (i) => ({
      itemId: 1 + i * 3,
      title: `How to use the ${random.pick(things)}`,
      language: random.pick(["en", "fr", "he"] as const),
      file: Uint8Array.from({ length: 16 }, () => random.whole(256)),
    })),
    Category: series(categoryNames.length * 2, (i) => ({
      id: i + 1,
      name: `${categoryNames[i % categoryNames.length]}${i < categoryNames.length ? "" : ", small"}`,
      parentId: i < categoryNames.length ? null : 1 + (i - categoryNames.length),
    })),
    Kit: series(kits, (i) => ({
      id: i + 1,
      categoryId: 1 + random.whole(categoryNames.length * 2),
      name: `${random.pick(things)} kit`,
    })),
    KitItem: [...inKit.values()],
    Skill: skills,
    MemberSkill: [...known.values()],
    Repair: series(Math.ceil(items / 5), (i) => ({
      id: i + 1,
      itemId: 1 + random.whole(items),
      // Every tenth volunteer or so is of another society.
      volunteerId: random.chance(70) ? 1 + random.whole(Math.ceil(members * 1.1)) : null,
      begun: new Date(Date.UTC(2026, 0, 1) + random.whole(300 * 24 * 60) * 60_000),
      cost: `${random.whole(80)}.${String(random.whole(100)).padStart(2, "0")}`,
      findings: random.chance(50) ? { parts: [random.pick(["belt", "switch", "blade"])] } : null,
    })),
  };
}

const uuidFrom = (random: Random): string =>
  series(32, () => random.whole(16).toString(16))
    .join("")
    .replace(/(.{8})(.{4})(.{4})(.{4})(.{12})/, "$1-$2-$3-$4-$5");

/** A tag on each second item, with inspections; a reservation for each tenth. */
function onItems(random: Random, items: readonly NewRowOf<typeof lending.Item>[], members: number) {
  const tagged = items.filter((_, i) => i % 2 === 0);
  const tags = tagged.map(({ id = 0, depotId }, i) => ({ depotId, number: i + 1, itemId: id }));
  return {
    Tag: tags,
    Inspection: tags
      .filter(() => random.chance(40))
      .map(({ depotId, number }) => ({
        depotId,
        tagNumber: number,
        on: day(random.whole(300)),
        grams: 100 + random.whole(40_000) / 8,
        at: random.chance(50) ? `${String(8 + random.whole(10)).padStart(2, "0")}:30:00` : null,
      })),
    Reservation: series(Math.ceil(items.length / 10), (i) => {
      const begins = random.whole(300);
      return {
        id: uuidFrom(random),
        itemId: 1 + random.whole(items.length),
        memberId: 1 + random.whole(members),
        begins: day(begins),
        ends: day(begins + random.whole(20)),
        deposit: new Euros(random.whole(20_000)),
        handover: random.chance(50) ? { place: `${random.pick(towns)}, at the fountain`, at: "18:00:00" } : null,
        wishes: random.chance(30) ? ["with the case"] : [],
        code: `R${String(i + 1).padStart(5, "0")}`,
        scans: random.chance(20) ? 9_007_199_254_740_993n : 0n,
        made: `${day(begins - 3)}T08:00:00.000125Z`,
      };
    }),
  };
}

/** How many rows belong to a depot, on average. */
export interface PerDepot {
  readonly items: number;
  readonly members: number;
  readonly loans: number;
}

const usual: PerDepot = { items: 25, members: 10, loans: 75 };

/** Makes up a society, the same for the same number of depots and seed. */
export function generate(depots: number, seed = 7, perDepot: PerDepot = usual): Society {
  const random = randomFrom(seed);
  const districts = Math.max(1, Math.ceil(depots / 8));
  const items = depots * perDepot.items;
  const members = depots * perDepot.members;
  const loans = depots * perDepot.loans;
  const society = {
    District: series(districts, (i) => {
      const round = Math.floor(i / districtNames.length);
      return { id: i + 1, name: `${districtNames[i % districtNames.length]}${round === 0 ? "" : ` ${round + 1}`}` };
    }),
    Depot: series(depots, (i) => ({
      id: i + 1,
      districtId: 1 + (i % districts),
      name: `${depotNames[i % depotNames.length]} ${depotKinds[Math.floor(i / depotNames.length) % depotKinds.length]}`,
      town: random.pick(towns),
    })),
    Item: series(items, (i) => ({
      id: i + 1,
      depotId: 1 + random.whole(depots),
      name: `${random.pick(adjectives)} ${random.pick(things)}`,
      note: random.chance(20) ? "Ask for the case" : null,
    })),
    Member: series(members, (i) => ({
      id: i + 1,
      name: `${random.pick(givenNames)} ${random.pick(familyNames)}`,
      blocked: random.chance(5),
      sponsorId: i > 0 && random.chance(60) ? 1 + random.whole(i) : null,
    })),
    Loan: series(loans, (i) => loan(random, i + 1, items, members)),
    ...around(random, items, members),
  };
  return { ...society, ...onItems(random, society.Item, members) };
}

/** The entities, each after those that its keys refer to. */
const ownersFirst = [
  ...(["District", "Depot", "Item", "Member", "Loan", "Manual", "Category"] as const),
  ...(["Kit", "KitItem", "Skill", "MemberSkill", "Repair", "Tag"] as const),
  ...(["Inspection", "Reservation"] as const),
];

/** So many rows at once leave others their turn soon enough. */
const portion = 10_000;

/**
 * Inserts a society's rows, owners first. `inserted` is called for each table once its rows are there; `pause` is
 * awaited now and then, so that others have their turn on an engine that answers at once.
 */
export async function fill(
  db: Database,
  society: Society,
  inserted: (table: string, rows: number) => void = () => {},
  pause: () => Promise<void> = async () => {},
): Promise<void> {
  for (const name of ownersFirst) {
    const entity: { readonly table: string } = lending[name];
    // The rows of a name are those of its entity; the compiler cannot follow a name through a loop.
    const rows = society[name] as Society["Loan"];
    for (let at = 0; at < rows.length; at += portion) {
      await db.insert(entity as typeof lending.Loan, rows.slice(at, at + portion));
      await pause();
    }
    inserted(entity.table, rows.length);
  }
}
