import {
  createTables,
  type Database,
  date,
  entities,
  entity,
  integer,
  model,
  numeric,
  snakeCase,
  text,
  toMany,
  toOne,
} from "../../src/index.js";
import { randomFrom } from "../../tools/src/demo/random.js";

const money = numeric(10, 2);
const rate = numeric(3, 2);
/** The database is sure to have the rows that keys lead to. */
const constraint = "trusted";

/**
 * A wholesaler's tables, as a well-known benchmark for decision support has them (TPC-H, whose specification is
 * public): queries are derived from its 22. Rows are made up here, and figures are not results of that benchmark.
 */
class Warehouse extends entities({
  Region: entity("region", { id: integer.key, name: text }),
  Nation: entity(
    "nation",
    { id: integer.key, name: text, regionId: integer },
    { region: toOne("Region", { by: "regionId", constraint }) },
  ),
  Supplier: entity(
    "supplier",
    { id: integer.key, name: text, address: text, nationId: integer, phone: text, balance: money, comment: text },
    { nation: toOne("Nation", { by: "nationId", constraint }), offers: toMany("Offer", { by: "supplierId" }) },
  ),
  Part: entity("part", {
    id: integer.key,
    name: text,
    maker: text,
    brand: text,
    type: text,
    size: integer,
    container: text,
    price: money,
  }),
  Offer: entity(
    "offer",
    { partId: integer.key, supplierId: integer.key, available: integer, cost: money },
    {
      part: toOne("Part", { by: "partId", constraint }),
      supplier: toOne("Supplier", { by: "supplierId", constraint }),
    },
  ),
  Customer: entity(
    "customer",
    {
      id: integer.key,
      name: text,
      address: text,
      nationId: integer,
      phone: text,
      balance: money,
      segment: text,
      comment: text,
    },
    { nation: toOne("Nation", { by: "nationId", constraint }), orders: toMany("Purchase", { by: "customerId" }) },
  ),
  Purchase: entity(
    "purchase",
    {
      id: integer.key,
      customerId: integer,
      status: text,
      total: money,
      day: date,
      priority: text,
      clerk: text,
      urgency: integer,
      comment: text,
    },
    { customer: toOne("Customer", { by: "customerId", constraint }), lines: toMany("Line", { by: "purchaseId" }) },
    { indexes: [{ on: ["day"] }] },
  ),
  Line: entity(
    "line",
    {
      ...{ purchaseId: integer.key, number: integer.key, partId: integer, supplierId: integer },
      ...{ quantity: numeric(8, 2), price: money, discount: rate, tax: rate, flag: text, status: text },
      ...{ shipped: date, promised: date, received: date, instruction: text, mode: text },
    },
    {
      purchase: toOne("Purchase", { by: "purchaseId", constraint }),
      part: toOne("Part", { by: "partId", constraint }),
      supplier: toOne("Supplier", { by: "supplierId", constraint }),
      offer: toOne("Offer", { by: ["partId", "supplierId"], constraint }),
    },
    { indexes: [{ on: ["partId", "supplierId"] }, { on: ["shipped"] }] },
  ),
}) {}

export const warehouse = model(Warehouse, { columnNames: snakeCase });

const regions = ["AFRICA", "AMERICA", "ASIA", "EUROPE", "MIDDLE EAST"];
const nations = (
  "ALGERIA 0, ARGENTINA 1, BRAZIL 1, CANADA 1, EGYPT 4, ETHIOPIA 0, FRANCE 3, GERMANY 3, INDIA 2, INDONESIA 2, IRAN 4, IRAQ 4, JAPAN 2, " +
  "JORDAN 4, KENYA 0, MOROCCO 0, MOZAMBIQUE 0, PERU 1, CHINA 2, ROMANIA 3, SAUDI ARABIA 4, VIETNAM 2, RUSSIA 3, UNITED KINGDOM 3, UNITED STATES 1"
)
  .split(", ")
  .map((one) => [one.replace(/ \d$/, ""), Number(one.at(-1))] as const);
const segments = ["AUTOMOBILE", "BUILDING", "FURNITURE", "HOUSEHOLD", "MACHINERY"];
const priorities = ["1-URGENT", "2-HIGH", "3-MEDIUM", "4-NOT SPECIFIED", "5-LOW"];
const modes = ["AIR", "AIR REG", "FOB", "MAIL", "RAIL", "SHIP", "TRUCK"];
const instructions = ["COLLECT COD", "DELIVER IN PERSON", "NONE", "TAKE BACK RETURN"];
const colours = [
  "almond",
  "azure",
  "blue",
  "coral",
  "cream",
  "forest",
  "green",
  "indian",
  "lace",
  "maroon",
  "navy",
  "plum",
];
const types = [
  ["STANDARD", "SMALL", "MEDIUM", "LARGE", "ECONOMY", "PROMO"],
  ["ANODIZED", "BURNISHED", "PLATED", "POLISHED", "BRUSHED"],
  ["TIN", "NICKEL", "BRASS", "STEEL", "COPPER"],
] as const;
const containers = [
  ["SM", "MED", "LG", "JUMBO", "WRAP"],
  ["CASE", "BOX", "BAG", "JAR", "PKG", "PACK", "CAN", "DRUM"],
] as const;
const words = [
  "quick",
  "pending",
  "special",
  "ironic",
  "final",
  "deposits",
  "requests",
  "accounts",
  "packages",
  "theodolites",
];

const millisecondsOfDay = 86_400_000;
const dayAt = (days: number): string =>
  new Date(Date.UTC(1992, 0, 1) + days * millisecondsOfDay).toISOString().slice(0, 10);
const cents = (amount: number): string =>
  `${amount < 0 ? "-" : ""}${Math.floor(Math.abs(amount) / 100)}.${String(Math.abs(amount) % 100).padStart(2, "0")}`;

/** Fills the tables with some 60,000 lines times `size`, the same ones each time. */
export async function fillWarehouse(db: Database, size = 1): Promise<void> {
  const { Region, Nation, Supplier, Part, Offer, Customer, Purchase, Line } = warehouse;
  const { whole, chance, pick } = randomFrom(19);
  const numbers = (count: number) => Array.from({ length: count * size }, (_, i) => i + 1);
  const comment = (odd: string) => `${pick(words)} ${pick(words)} ${chance(2) ? odd : pick(words)} ${pick(words)}`;
  const phone = (nation: number) => `${nation + 10}-${100 + whole(900)}-${100 + whole(900)}-${1000 + whole(9000)}`;
  const of = (lists: readonly (readonly string[])[]) => lists.map((list) => pick(list)).join(" ");
  await createTables(db, warehouse);
  await db.insert(
    Region,
    regions.map((name, id) => ({ id, name })),
  );
  await db.insert(
    Nation,
    nations.map(([name, regionId], id) => ({ id, name, regionId })),
  );
  const suppliers = numbers(100).map((id) => {
    const nationId = whole(nations.length);
    const text = { name: `Supplier ${id}`, address: `Road ${whole(9999)}`, phone: phone(nationId) };
    return {
      id,
      ...text,
      nationId,
      balance: cents(whole(1_100_000) - 100_000),
      comment: comment("Customer sly Complaints"),
    };
  });
  await db.insert(Supplier, suppliers);
  const parts = numbers(2000).map((id) => ({
    ...{
      id,
      name: of([colours, colours, colours]),
      maker: `Maker ${1 + (id % 5)}`,
      brand: `Brand ${1 + (id % 5)}${1 + whole(5)}`,
    },
    ...{ type: of(types), size: 1 + whole(50), container: of(containers), price: cents(90_000 + (id % 20_000) * 10) },
  }));
  await db.insert(Part, parts);
  const offers = parts.flatMap(({ id }) =>
    Array.from({ length: 4 }, (_, i) => ({
      ...{ partId: id, supplierId: 1 + ((id + i * (suppliers.length / 4 + 1)) % suppliers.length) },
      ...{ available: 1 + whole(9999), cost: cents(100 + whole(99_900)) },
    })),
  );
  await db.insert(Offer, offers);
  const customers = numbers(1500).map((id) => {
    const nationId = whole(nations.length);
    const text = {
      name: `Customer ${id}`,
      address: `Lane ${whole(9999)}`,
      phone: phone(nationId),
      segment: pick(segments),
    };
    return { id, ...text, nationId, balance: cents(whole(1_100_000) - 100_000), comment: comment("special packages") };
  });
  await db.insert(Customer, customers);
  const purchases = [];
  const lines = [];
  for (const id of numbers(15_000)) {
    const placed = whole(2400);
    const own = Array.from({ length: 1 + whole(7) }, (_, i) => {
      const offer = pick(offers);
      const quantity = 1 + whole(50);
      const [shipped, promised] = [placed + 1 + whole(121), placed + 30 + whole(61)];
      const received = shipped + 1 + whole(30);
      const isLate = received > 1260;
      return {
        ...{
          purchaseId: id,
          number: i + 1,
          partId: offer.partId,
          supplierId: offer.supplierId,
          quantity: `${quantity}.00`,
        },
        ...{
          price: cents(quantity * (90_000 + (offer.partId % 20_000) * 10)),
          discount: cents(whole(11)),
          tax: cents(whole(9)),
        },
        ...{ flag: isLate ? "N" : pick(["R", "A"]), status: shipped > 1260 ? "O" : "F" },
        ...{ shipped: dayAt(shipped), promised: dayAt(promised), received: dayAt(received) },
        ...{ instruction: pick(instructions), mode: pick(modes) },
      };
    });
    lines.push(...own);
    const open = own.filter(({ status }) => status === "O").length;
    purchases.push({
      ...{
        id,
        customerId: 1 + 3 * whole(customers.length / 3) + whole(2),
        day: dayAt(placed),
        priority: pick(priorities),
      },
      ...{ status: open === 0 ? "F" : open === own.length ? "O" : "P", clerk: `Clerk ${whole(1000)}`, urgency: 0 },
      ...{
        total: cents(own.reduce((sum, { price }) => sum + Math.round(Number(price) * 100), 0)),
        comment: comment("special packages requests"),
      },
    });
  }
  await db.insert(Purchase, purchases);
  await db.insert(Line, lines);
}
