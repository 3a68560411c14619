import { type AnyDatabase, from } from "gemach";
import { society } from "./society.js";

const { Category, Depot, District, Item, Loan, Member, Repair, Reservation } = society;

/** Numbers that look random, and are the same for the same seed. */
function randomFrom(seed: number) {
  let state = seed >>> 0;
  const next = (): number => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return state / 2 ** 32;
  };
  const whole = (below: number): number => Math.floor(next() * below);
  return {
    whole,
    pick: <T>(of: readonly T[]): T => of[whole(of.length)] as T,
    chance: (percent: number) => whole(100) < percent,
  };
}

const districts = ["Northbank", "Millside", "Old Harbour"];
const depots = ["Alder Shed", "Birch Cellar", "Cedar Yard", "Elm Loft", "Hazel Garage", "Linden Shed"];
const towns = ["Ashford Vale", "Brockhollow", "Carrow", "Dunmere"];
const categories = ["Garden", "Workshop", "Kitchen", "Festivities", "Outdoors"];
const adjectives = ["Small", "Large", "Sturdy", "Folding", "Cordless", "Old", "Quiet", "Heavy"];
const things: readonly (readonly [string, category: number])[] = [
  ...([
    ["Hedge Trimmer", 0],
    ["Wheelbarrow", 0],
    ["Lawn Rake", 0],
    ["Pressure Washer", 0],
  ] as const),
  ...([
    ["Drill", 1],
    ["Ladder", 1],
    ["Sander", 1],
    ["Tile Cutter", 1],
    ["Jigsaw", 1],
    ["Toolbox", 1],
  ] as const),
  ...([
    ["Bread Oven", 2],
    ["Raclette Grill", 2],
    ["Juice Press", 2],
  ] as const),
  ...([
    ["Projector", 3],
    ["Party Tent", 3],
    ["Sound System", 3],
  ] as const),
  ...([
    ["Tent", 4],
    ["Bike Trailer", 4],
    ["Canoe", 4],
    ["Sledge", 4],
  ] as const),
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
const repairs = [
  "New belt",
  "Blade sharpened",
  "Switch replaced",
  "Cleaned and oiled",
  "Cable shortened",
  "Handle glued",
];

type Random = ReturnType<typeof randomFrom>;

const series = <T>(count: number, make: () => T): readonly T[] => Array.from({ length: count }, make);

/** A day so many days after another one. */
export const dayAfter = (day: string, days: number): string =>
  new Date(Date.parse(day) + days * 86_400_000).toISOString().slice(0, 10);

/** How many days before today a thing was lent, and for how long, the oldest first; the last one may still be out. */
function lendings(
  random: Random,
  times: number,
): readonly { readonly lent: number; readonly days: number; readonly isOut: boolean }[] {
  const each = Math.floor(360 / times);
  return Array.from({ length: times }, (_, i) => {
    const isOut = i === times - 1 && random.chance(45);
    const lent = isOut
      ? 1 + random.whole(Math.min(each, 30))
      : each * (times - i) - random.whole(Math.max(1, each - 22));
    return { lent, days: 3 + random.whole(17), isOut };
  });
}

/** The rows that belong to a thing; the columns of its district are filled in by the handle. */
function around(random: Random, today: string, itemId: number, memberIds: readonly number[], isOften: boolean) {
  const loans = lendings(random, isOften ? 14 : 2 + random.whole(3)).map(({ lent, days, isOut }) => ({
    itemId,
    memberId: random.pick(memberIds),
    lent: dayAfter(today, -lent),
    due: dayAfter(today, 14 - lent),
    returned: isOut || days >= lent ? null : dayAfter(today, days - lent),
  }));
  // Only the newest of them may be out.
  const closed = loans.map((loan, i) =>
    i < loans.length - 1 && loan.returned === null ? { ...loan, returned: loan.due } : loan,
  );
  const repaired = Array.from({ length: isOften ? 12 : random.whole(3) }, () => ({
    itemId,
    volunteerId: isOften || random.chance(70) ? random.pick(memberIds) : null,
    begun: dayAfter(today, -1 - random.whole(300)),
    what: random.pick(repairs),
    cost: `${random.whole(60)}.${String(random.whole(100)).padStart(2, "0")}`,
  }));
  const begins = 3 + random.whole(30);
  const reserved =
    isOften || random.chance(15)
      ? [
          {
            itemId,
            memberId: random.pick(memberIds),
            begins: dayAfter(today, begins),
            ends: dayAfter(today, begins + random.whole(10)),
          },
        ]
      : [];
  return { loans: closed, repaired, reserved };
}

/**
 * Fills empty tables with a made-up society, the same for the same day: a year of lending that ends today, with some
 * things out, some of them too long. The first thing of each district has been lent and repaired often.
 */
export async function fillSociety(db: AnyDatabase, today: string): Promise<void> {
  const random = randomFrom(7);
  await db.insert(
    District,
    districts.map((name) => ({ name })),
  );
  await db.insert(
    Category,
    categories.map((name) => ({ name })),
  );
  const categoryIds = await db.list(
    from(Category)
      .orderBy((c) => c.id.asc)
      .select((c) => c.id),
  );
  for (const districtId of await db.list(
    from(District)
      .orderBy((d) => d.id.asc)
      .select((d) => d.id),
  )) {
    const own = db.as({ district: districtId });
    await own.insert(
      Depot,
      depots.map((name) => ({ name, town: random.pick(towns) })),
    );
    await own.insert(
      Member,
      series(80, () => ({ name: `${random.pick(givenNames)} ${random.pick(familyNames)}`, blocked: random.chance(5) })),
    );
    const depotIds = await own.list(from(Depot).select((d) => d.id));
    const memberIds = await own.list(from(Member).select((m) => m.id));
    await own.insert(
      Item,
      series(240, () => {
        const [thing, category] = random.pick(things);
        const name = `${random.pick(adjectives)} ${thing}`;
        return {
          depotId: random.pick(depotIds),
          categoryId: categoryIds[category] ?? 0,
          name,
          note: random.chance(20) ? "Ask for the case" : null,
        };
      }),
    );
    const itemIds = await own.list(
      from(Item)
        .orderBy((i) => i.id.asc)
        .select((i) => i.id),
    );
    const rows = itemIds.map((itemId, i) => around(random, today, itemId, memberIds, i === 0));
    await own.insert(
      Loan,
      rows.flatMap(({ loans }) => loans),
    );
    await own.insert(
      Repair,
      rows.flatMap(({ repaired }) => repaired),
    );
    await own.insert(
      Reservation,
      rows.flatMap(({ reserved }) => reserved),
    );
  }
}
