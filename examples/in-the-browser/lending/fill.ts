import { createTables, type Database, from } from "gemach";
import { Depot, Item, Kit, KitItem, Loan, Member } from "./lending.js";

const depots = [
  "Alder Shed",
  "Birch Cellar",
  "Cedar Yard",
  "Elm Loft",
  "Hazel Garage",
  "Linden Shed",
  "Maple Yard",
  "Rowan Loft",
];
const towns = ["Ashford Vale", "Brockhollow", "Carrow", "Dunmere"];
const adjectives = ["Small", "Large", "Sturdy", "Folding", "Cordless", "Old", "Quiet", "Heavy"];
const things = [
  "Drill",
  "Ladder",
  "Sander",
  "Tile Cutter",
  "Tent",
  "Projector",
  "Bread Oven",
  "Hedge Trimmer",
  "Jigsaw",
  "Toolbox",
  "Wheelbarrow",
  "Bike Trailer",
];
const givenNames = ["Ada", "Bram", "Chiara", "Dov", "Esra", "Femi", "Greta", "Hugo", "Ines", "Jonas", "Kaya", "Lior"];
const familyNames = ["Abel", "Brandt", "Cohen", "Duval", "Eriksen", "Fuchs", "Gallo", "Haas", "Ivers", "Jansen"];
const kits = ["Garden kit", "Shelf kit", "Camping kit", "Party kit", "Painting kit"];

const entities = { Depot, Item, Loan, Member, Kit, KitItem };
const [items, members, loans] = [400, 120, 2000];

/** Numbers that look random, and are always the same. */
function randomFrom(seed: number) {
  let state = seed;
  const whole = (below: number): number => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return Math.floor((state / 2 ** 32) * below);
  };
  return {
    whole,
    pick: <T>(of: readonly T[]): T => of[whole(of.length)] as T,
    chance: (percent: number) => whole(100) < percent,
  };
}

const day = (offset: number): string => new Date(Date.UTC(2026, 0, 1) + offset * 86_400_000).toISOString().slice(0, 10);
const series = <T>(count: number, make: (index: number) => T): readonly T[] =>
  Array.from({ length: count }, (_, i) => make(i));

/**
 * Makes the tables of an empty database, and fills them with a made-up society; gives whether there was anything to do.
 */
export async function fillLending(db: Database): Promise<boolean> {
  await createTables(db, entities);
  if (await db.exists(from(Depot))) return false;
  const random = randomFrom(7);
  await db.transaction(async (tx) => {
    await tx.insert(
      Depot,
      depots.map((name) => ({ name, town: random.pick(towns) })),
    );
    await tx.insert(
      Item,
      series(items, () => ({
        depotId: 1 + random.whole(depots.length),
        name: `${random.pick(adjectives)} ${random.pick(things)}`,
        price: `${5 + random.whole(200)}.${random.pick(["00", "50", "90"])}`,
        note: random.chance(20) ? "Ask for the case" : null,
      })),
    );
    await tx.insert(
      Member,
      series(members, (i) => ({
        name: `${random.pick(givenNames)} ${random.pick(familyNames)}`,
        blocked: random.chance(5),
        sponsorId: i > 0 && random.chance(60) ? 1 + random.whole(i) : null,
      })),
    );
    await tx.insert(
      Loan,
      series(loans, () => {
        const lent = random.whole(300);
        return {
          itemId: 1 + random.whole(items),
          memberId: 1 + random.whole(members),
          lent: day(lent),
          due: day(lent + 14),
          returned: random.chance(85) ? day(lent + 3 + random.whole(20)) : null,
        };
      }),
    );
    await tx.insert(
      Kit,
      kits.map((name) => ({ name })),
    );
    await tx.insert(
      KitItem,
      kits.flatMap((_, kit) =>
        series(6, (i) => ({ kitId: kit + 1, itemId: 1 + kit * 60 + i * 7, quantity: 1 + random.whole(3) })),
      ),
    );
  });
  return true;
}
