import {
  and,
  exists,
  from,
  integer,
  literal,
  named,
  not,
  notExists,
  numeric,
  or,
  type ReferenceOf,
  scalar,
} from "../../src/index.js";
import type { Question } from "./question.js";
import { warehouse } from "./warehouse.js";

const { Customer, Line, Offer, Purchase, Supplier } = warehouse;
type LineRow = ReferenceOf<typeof Line>;

const one = literal(numeric(1, 0), "1");
const revenue = (l: LineRow) => l.price.times(one.minus(l.discount));

const perSupplier = named(
  "revenue",
  from(Line)
    .where((l) => and(l.shipped.atLeast("1996-01-01"), l.shipped.below("1996-04-01")))
    .groupBy((l) => l.supplierId)
    .select((g) => ({ supplierId: g.key, total: g.sum(revenue) })),
);
const german = from(Offer).where((o) => o.supplier.nation.name.is("GERMANY"));
const europe = "EUROPE";
const kinds = [
  ["Brand 12", ["SM CASE", "SM BOX", "SM PACK", "SM PKG"], "1", "11", 45],
  ["Brand 23", ["MED BAG", "MED BOX", "MED PKG", "MED PACK"], "10", "20", 50],
  ["Brand 34", ["LG CASE", "LG BOX", "LG PACK", "LG PKG"], "20", "30", 48],
] as const;

/**
 * Queries derived from the 22 of TPC-H; parameters are those of its specification where the made-up rows have such
 * values.
 */
export const derivedQuestions: readonly Question[] = [
  {
    name: "1: what was shipped, by flag and status",
    query: from(Line)
      .where((l) => l.shipped.atMost("1998-09-02"))
      .groupBy((l) => ({ flag: l.flag, status: l.status }))
      .select((g) => ({
        ...{ flag: g.key.flag, status: g.key.status, quantity: g.sum((l) => l.quantity), base: g.sum((l) => l.price) },
        ...{ discounted: g.sum(revenue), charged: g.sum((l) => revenue(l).times(one.plus(l.tax))) },
        ...{
          meanQuantity: g.avg((l) => l.quantity, { scale: 2 }),
          meanDiscount: g.avg((l) => l.discount, { scale: 2 }),
          lines: g.count(),
        },
      })),
    byHand: ({ units, one, decimal, quotient }) =>
      `select flag, status, ${decimal(`sum(${units("quantity")})`, 2)}, ${decimal(`sum(${units("price")})`, 2)}, ${decimal(`sum(${units("price")} * (${one} - ${units("discount")}))`, 4)}, ${decimal(`sum(${units("price")} * (${one} - ${units("discount")}) * (${one} + ${units("tax")}))`, 6)}, ${quotient(`sum(${units("quantity")})`, `count(*)${one === "1" ? "" : " / 100.0"}`, 2)}, ${quotient(`sum(${units("discount")})`, `count(*)${one === "1" ? "" : " / 100.0"}`, 2)}, count(*) from line where shipped <= '1998-09-02' group by flag, status order by flag, status`,
  },
  {
    name: "2: the cheapest supplier of parts in a region",
    query: from(Offer)
      .where((o) =>
        and(
          o.part.size.is(15),
          o.part.type.endsWith("BRASS"),
          o.supplier.nation.region.name.is(europe),
          o.cost.is(
            scalar(
              from(Offer)
                .where((other) => and(other.partId.is(o.partId), other.supplier.nation.region.name.is(europe)))
                .totals((all) => all.min((other) => other.cost)),
            ),
          ),
        ),
      )
      .orderBy((o) => [o.supplier.balance.desc, o.supplier.nation.name.asc, o.supplier.name.asc, o.partId.asc])
      .limit(100)
      .select((o) => ({
        ...{ balance: o.supplier.balance, name: o.supplier.name, nation: o.supplier.nation.name, part: o.partId },
        ...{ maker: o.part.maker, address: o.supplier.address, phone: o.supplier.phone },
      })),
    byHand: ({ units }) =>
      `select s.balance, s.name, n.name as nation, p.id, p.maker, s.address, s.phone from part p join offer o on o.part_id = p.id join supplier s on s.id = o.supplier_id join nation n on n.id = s.nation_id join region r on r.id = n.region_id where p.size = 15 and p.type like '%BRASS' and r.name = 'EUROPE' and ${units("o.cost")} = (select min(${units("o2.cost")}) from offer o2 join supplier s2 on s2.id = o2.supplier_id join nation n2 on n2.id = s2.nation_id join region r2 on r2.id = n2.region_id where o2.part_id = p.id and r2.name = 'EUROPE') order by ${units("s.balance")} desc, n.name, s.name, p.id limit 100`,
  },
  {
    name: "3: the largest orders that were not shipped in time",
    query: from(Line)
      .where((l) =>
        and(
          l.purchase.customer.segment.is("BUILDING"),
          l.purchase.day.below("1995-03-15"),
          l.shipped.above("1995-03-15"),
        ),
      )
      .groupBy((l) => ({ id: l.purchaseId, day: l.purchase.day, urgency: l.purchase.urgency }))
      .orderBy((g) => [g.sum(revenue).desc, g.key.day.asc])
      .limit(10)
      .select((g) => ({ id: g.key.id, revenue: g.sum(revenue), day: g.key.day, urgency: g.key.urgency })),
    byHand: ({ units, one, decimal }) =>
      `select l.purchase_id, ${decimal(`sum(${units("l.price")} * (${one} - ${units("l.discount")}))`, 4)} as revenue, o.day, o.urgency from customer c join purchase o on o.customer_id = c.id join line l on l.purchase_id = o.id where c.segment = 'BUILDING' and o.day < '1995-03-15' and l.shipped > '1995-03-15' group by l.purchase_id, o.day, o.urgency order by sum(${units("l.price")} * (${one} - ${units("l.discount")})) desc, o.day limit 10`,
  },
  {
    name: "4: orders with a late line, by priority",
    query: from(Purchase)
      .where((o) =>
        and(
          o.day.atLeast("1993-07-01"),
          o.day.below("1993-10-01"),
          o.lines.where((l) => l.promised.below(l.received)).exists(),
        ),
      )
      .groupBy((o) => o.priority)
      .select((g) => ({ priority: g.key, orders: g.count() })),
    byHand: () =>
      "select priority, count(*) from purchase o where day >= '1993-07-01' and day < '1993-10-01' and exists (select 1 from line l where l.purchase_id = o.id and l.promised < l.received) group by priority order by priority",
  },
  {
    name: "5: revenue by suppliers of the customer's own nation",
    query: from(Line)
      .where((l) =>
        and(
          l.purchase.customer.nationId.is(l.supplier.nationId),
          l.supplier.nation.region.name.is("ASIA"),
          l.purchase.day.atLeast("1994-01-01"),
          l.purchase.day.below("1995-01-01"),
        ),
      )
      .groupBy((l) => l.supplier.nation.name)
      .orderBy((g) => g.sum(revenue).desc)
      .select((g) => ({ nation: g.key, revenue: g.sum(revenue) })),
    byHand: ({ units, one, decimal }) =>
      `select n.name, ${decimal(`sum(${units("l.price")} * (${one} - ${units("l.discount")}))`, 4)} from customer c join purchase o on o.customer_id = c.id join line l on l.purchase_id = o.id join supplier s on s.id = l.supplier_id and s.nation_id = c.nation_id join nation n on n.id = s.nation_id join region r on r.id = n.region_id where r.name = 'ASIA' and o.day >= '1994-01-01' and o.day < '1995-01-01' group by n.name order by sum(${units("l.price")} * (${one} - ${units("l.discount")})) desc`,
  },
  {
    name: "6: what small discounts cost",
    query: from(Line)
      .where((l) =>
        and(
          l.shipped.atLeast("1994-01-01"),
          l.shipped.below("1995-01-01"),
          l.discount.between("0.05", "0.07"),
          l.quantity.below("24"),
        ),
      )
      .totals((all) => all.sum((l) => l.price.times(l.discount))),
    byHand: ({ units, one, decimal }) =>
      `select ${decimal(`sum(${units("price")} * ${units("discount")})`, 4)} from line where shipped >= '1994-01-01' and shipped < '1995-01-01' and ${units("discount")} between ${one === "1" ? "0.05 and 0.07" : "5 and 7"} and ${units("quantity")} < 24${one === "1" ? "" : "00"}`,
  },
  {
    name: "7: trade between two nations, by year",
    query: from(Line)
      .where((l) => {
        const [a, b] = [l.supplier.nation.name, l.purchase.customer.nation.name];
        return and(
          l.shipped.between("1995-01-01", "1996-12-31"),
          or(and(a.is("FRANCE"), b.is("GERMANY")), and(a.is("GERMANY"), b.is("FRANCE"))),
        );
      })
      .groupBy((l) => ({
        seller: l.supplier.nation.name,
        buyer: l.purchase.customer.nation.name,
        year: l.shipped.year(),
      }))
      .select((g) => ({ ...g.key, revenue: g.sum(revenue) })),
    byHand: ({ units, one, decimal, year }) =>
      `select n1.name as seller, n2.name as buyer, ${year("l.shipped")} as y, ${decimal(`sum(${units("l.price")} * (${one} - ${units("l.discount")}))`, 4)} from line l join supplier s on s.id = l.supplier_id join nation n1 on n1.id = s.nation_id join purchase o on o.id = l.purchase_id join customer c on c.id = o.customer_id join nation n2 on n2.id = c.nation_id where l.shipped between '1995-01-01' and '1996-12-31' and (n1.name = 'FRANCE' and n2.name = 'GERMANY' or n1.name = 'GERMANY' and n2.name = 'FRANCE') group by n1.name, n2.name, ${year("l.shipped")} order by n1.name, n2.name, ${year("l.shipped")}`,
  },
  {
    name: "8: a nation's share of a market, by year",
    query: from(Line)
      .where((l) =>
        and(
          l.purchase.customer.nation.region.name.is("AMERICA"),
          l.purchase.day.between("1995-01-01", "1996-12-31"),
          l.part.type.is("ECONOMY ANODIZED STEEL"),
        ),
      )
      .groupBy((l) => l.purchase.day.year())
      .select((g) => ({
        year: g.key,
        share: g
          .where((l) => l.supplier.nation.name.is("BRAZIL"))
          .sum(revenue)
          .dividedBy(g.sum(revenue), { scale: 4 }),
      })),
    byHand: ({ units, one, quotient, year }) =>
      `select ${year("o.day")} as y, ${quotient(`sum(case when n2.name = 'BRAZIL' then ${units("l.price")} * (${one} - ${units("l.discount")}) end)`, `sum(${units("l.price")} * (${one} - ${units("l.discount")}))`, 4)} from line l join part p on p.id = l.part_id join supplier s on s.id = l.supplier_id join nation n2 on n2.id = s.nation_id join purchase o on o.id = l.purchase_id join customer c on c.id = o.customer_id join nation n1 on n1.id = c.nation_id join region r on r.id = n1.region_id where r.name = 'AMERICA' and o.day between '1995-01-01' and '1996-12-31' and p.type = 'ECONOMY ANODIZED STEEL' group by ${year("o.day")} order by 1`,
  },
  {
    name: "9: profit on a kind of parts, by nation and year",
    query: from(Line)
      .where((l) => l.part.name.contains("green"))
      .groupBy((l) => ({ nation: l.supplier.nation.name, year: l.purchase.day.year() }))
      .orderBy((g) => [g.key.nation.asc, g.key.year.desc])
      .select((g) => ({ ...g.key, profit: g.sum((l) => revenue(l).minus(l.offer.cost.times(l.quantity))) })),
    byHand: ({ units, one, decimal, year }) =>
      `select n.name, ${year("o.day")} as y, ${decimal(`sum(${units("l.price")} * (${one} - ${units("l.discount")}) - ${units("f.cost")} * ${units("l.quantity")})`, 4)} from line l join part p on p.id = l.part_id join supplier s on s.id = l.supplier_id join offer f on f.part_id = l.part_id and f.supplier_id = l.supplier_id join purchase o on o.id = l.purchase_id join nation n on n.id = s.nation_id where p.name like '%green%' group by n.name, ${year("o.day")} order by n.name, y desc`,
  },
  {
    name: "10: customers who returned most",
    query: from(Line)
      .where((l) => and(l.purchase.day.atLeast("1993-10-01"), l.purchase.day.below("1994-01-01"), l.flag.is("R")))
      .groupBy(({ purchase: { customer: c } }) => ({
        id: c.id,
        name: c.name,
        balance: c.balance,
        phone: c.phone,
        nation: c.nation.name,
        address: c.address,
      }))
      .orderBy((g) => g.sum(revenue).desc)
      .limit(20)
      .select((g) => ({ ...g.key, revenue: g.sum(revenue) })),
    byHand: ({ units, one, decimal }) =>
      `select c.id, c.name, c.balance, c.phone, n.name as nation, c.address, ${decimal(`sum(${units("l.price")} * (${one} - ${units("l.discount")}))`, 4)} from customer c join purchase o on o.customer_id = c.id join line l on l.purchase_id = o.id join nation n on n.id = c.nation_id where o.day >= '1993-10-01' and o.day < '1994-01-01' and l.flag = 'R' group by c.id, c.name, c.balance, c.phone, n.name, c.address order by sum(${units("l.price")} * (${one} - ${units("l.discount")})) desc limit 20`,
  },
  {
    name: "11: the parts that are worth most in a nation",
    query: german
      .groupBy((o) => o.partId)
      .having((g) =>
        g
          .sum((o) => o.available.times(o.cost))
          .above(scalar(german.totals((all) => all.sum((o) => o.available.times(o.cost)))).times("0.001")),
      )
      .orderBy((g) => g.sum((o) => o.available.times(o.cost)).desc)
      .select((g) => ({ part: g.key, worth: g.sum((o) => o.available.times(o.cost)) })),
    byHand: ({ units, decimal }) =>
      `select o.part_id, ${decimal(`sum(o.available * ${units("o.cost")})`, 2)} from offer o join supplier s on s.id = o.supplier_id join nation n on n.id = s.nation_id where n.name = 'GERMANY' group by o.part_id having sum(o.available * ${units("o.cost")}) > (select sum(o2.available * ${units("o2.cost")}) * 0.001 from offer o2 join supplier s2 on s2.id = o2.supplier_id join nation n2 on n2.id = s2.nation_id where n2.name = 'GERMANY') order by sum(o.available * ${units("o.cost")}) desc`,
  },
  {
    name: "12: late lines by way of shipping, of urgent orders and others",
    query: from(Line)
      .where((l) =>
        and(
          l.mode.oneOf(["MAIL", "SHIP"]),
          l.promised.below(l.received),
          l.shipped.below(l.promised),
          l.received.atLeast("1994-01-01"),
          l.received.below("1995-01-01"),
        ),
      )
      .groupBy((l) => l.mode)
      .select((g) => ({
        mode: g.key,
        urgent: g.where((l) => l.purchase.priority.oneOf(["1-URGENT", "2-HIGH"])).count(),
        others: g.where((l) => l.purchase.priority.notOneOf(["1-URGENT", "2-HIGH"])).count(),
      })),
    byHand: () =>
      "select l.mode, sum(case when o.priority in ('1-URGENT', '2-HIGH') then 1 else 0 end), sum(case when o.priority not in ('1-URGENT', '2-HIGH') then 1 else 0 end) from line l join purchase o on o.id = l.purchase_id where l.mode in ('MAIL', 'SHIP') and l.promised < l.received and l.shipped < l.promised and l.received >= '1994-01-01' and l.received < '1995-01-01' group by l.mode order by l.mode",
  },
  {
    name: "13: how many customers have so many orders",
    query: from(
      from(Customer)
        .leftJoin(Purchase, (c, o) => and(o.customerId.is(c.id), not(o.comment.like("%special%requests%"))))
        .groupBy((c) => c.id)
        .select((g) => ({ customer: g.key, orders: g.count((_, o) => o.id) })),
    )
      .groupBy((c) => c.orders)
      .orderBy((g) => [g.count().desc, g.key.desc])
      .select((g) => ({ orders: g.key, customers: g.count() })),
    byHand: () =>
      "select orders, count(*) from (select c.id, count(o.id) as orders from customer c left join purchase o on o.customer_id = c.id and o.comment not like '%special%requests%' group by c.id) as counted group by orders order by count(*) desc, orders desc",
  },
  {
    name: "14: the share of promoted parts",
    query: from(Line)
      .where((l) => and(l.shipped.atLeast("1995-09-01"), l.shipped.below("1995-10-01")))
      .totals((all) =>
        all
          .where((l) => l.part.type.startsWith("PROMO"))
          .sum(revenue)
          .times("100")
          .dividedBy(all.sum(revenue), { scale: 3 }),
      ),
    byHand: ({ units, one, quotient }) =>
      `select ${quotient(`100 * sum(case when p.type like 'PROMO%' then ${units("l.price")} * (${one} - ${units("l.discount")}) end)`, `sum(${units("l.price")} * (${one} - ${units("l.discount")}))`, 3)} from line l join part p on p.id = l.part_id where l.shipped >= '1995-09-01' and l.shipped < '1995-10-01'`,
  },
  {
    name: "15: the supplier with most revenue",
    query: from(Supplier)
      .join(perSupplier, (s, r) =>
        and(r.supplierId.is(s.id), r.total.is(scalar(from(perSupplier).totals((all) => all.max((x) => x.total))))),
      )
      .select((s, r) => ({ id: s.id, name: s.name, address: s.address, phone: s.phone, revenue: r.total })),
    byHand: ({ units, one, decimal }) =>
      `with revenue as (select supplier_id, sum(${units("price")} * (${one} - ${units("discount")})) as total from line where shipped >= '1996-01-01' and shipped < '1996-04-01' group by supplier_id) select s.id, s.name, s.address, s.phone, ${decimal("r.total", 4)} from supplier s join revenue r on r.supplier_id = s.id where r.total = (select max(total) from revenue) order by s.id`,
  },
  {
    name: "16: suppliers of parts, without those with complaints",
    query: from(Offer)
      .where((o) =>
        and(
          o.part.brand.isNot("Brand 45"),
          not(o.part.type.startsWith("MEDIUM POLISHED")),
          o.part.size.oneOf([49, 14, 23, 45, 19, 3, 36, 9]),
          o.supplierId.notOneOf(
            from(Supplier)
              .where((s) => s.comment.like("%Customer%Complaints%"))
              .select((s) => s.id),
          ),
        ),
      )
      .groupBy((o) => ({ brand: o.part.brand, type: o.part.type, size: o.part.size }))
      .orderBy((g) => [g.countDistinct((o) => o.supplierId).desc, g.key.brand.asc, g.key.type.asc, g.key.size.asc])
      .select((g) => ({ ...g.key, suppliers: g.countDistinct((o) => o.supplierId) })),
    byHand: () =>
      "select p.brand, p.type, p.size, count(distinct o.supplier_id) from offer o join part p on p.id = o.part_id where p.brand <> 'Brand 45' and p.type not like 'MEDIUM POLISHED%' and p.size in (49, 14, 23, 45, 19, 3, 36, 9) and o.supplier_id not in (select id from supplier where comment like '%Customer%Complaints%') group by p.brand, p.type, p.size order by count(distinct o.supplier_id) desc, p.brand, p.type, p.size",
  },
  {
    name: "17: what small quantities bring in a year",
    query: from(Line)
      .where((l) =>
        and(
          l.part.brand.is("Brand 23"),
          l.part.container.is("MED BOX"),
          l.quantity.below(
            scalar(
              from(Line)
                .where((other) => other.partId.is(l.partId))
                .totals((all) => all.avg((other) => other.quantity, { scale: 6 }).times("0.2")),
            ),
          ),
        ),
      )
      .totals((all) => all.sum((l) => l.price).dividedBy(literal(integer, 7), { scale: 2 })),
    byHand: ({ units, quotient, one }) =>
      `select ${quotient(`sum(${units("l.price")})`, one === "1" ? "7" : "700", 2)} from line l join part p on p.id = l.part_id where p.brand = 'Brand 23' and p.container = 'MED BOX' and ${units("l.quantity")} < (select 0.2 * avg(${units("l2.quantity")}) from line l2 where l2.part_id = p.id)`,
  },
  {
    name: "18: customers with large orders",
    query: from(Line)
      .where((l) =>
        l.purchaseId.oneOf(
          from(Line)
            .groupBy((x) => x.purchaseId)
            .having((g) => g.sum((x) => x.quantity).above("270"))
            .select((g) => g.key),
        ),
      )
      .groupBy((l) => ({
        name: l.purchase.customer.name,
        customer: l.purchase.customerId,
        id: l.purchaseId,
        day: l.purchase.day,
        total: l.purchase.total,
      }))
      .orderBy((g) => [g.key.total.desc, g.key.day.asc, g.key.id.asc])
      .limit(100)
      .select((g) => ({ ...g.key, quantity: g.sum((l) => l.quantity) })),
    byHand: ({ units, decimal, one }) =>
      `select c.name, c.id as customer, o.id, o.day, o.total, ${decimal(`sum(${units("l.quantity")})`, 2)} from customer c join purchase o on o.customer_id = c.id join line l on l.purchase_id = o.id where o.id in (select purchase_id from line group by purchase_id having sum(${units("quantity")}) > 270${one === "1" ? "" : "00"}) group by c.name, c.id, o.id, o.day, o.total order by ${units("o.total")} desc, o.day, o.id limit 100`,
  },
  {
    name: "19: discounted revenue of some parts in some quantities",
    query: from(Line)
      .where((l) =>
        and(
          l.mode.oneOf(["AIR", "AIR REG"]),
          l.instruction.is("DELIVER IN PERSON"),
          or(
            ...kinds.map(([brand, containers, least, most, size]) =>
              and(
                l.part.brand.is(brand),
                l.part.container.oneOf(containers),
                l.quantity.between(least, most),
                l.part.size.between(1, size),
              ),
            ),
          ),
        ),
      )
      .totals((all) => all.sum(revenue)),
    byHand: ({ units, one, decimal }) =>
      `select ${decimal(`sum(${units("l.price")} * (${one} - ${units("l.discount")}))`, 4)} from line l join part p on p.id = l.part_id where l.mode in ('AIR', 'AIR REG') and l.instruction = 'DELIVER IN PERSON' and (${kinds.map(([brand, containers, least, most, size]) => `p.brand = '${brand}' and p.container in (${containers.map((c) => `'${c}'`).join(", ")}) and ${units("l.quantity")} between ${least}${one === "1" ? "" : "00"} and ${most}${one === "1" ? "" : "00"} and p.size between 1 and ${size}`).join(" or ")})`,
  },
  {
    name: "20: suppliers with more of a part than is sold in a year",
    query: from(Supplier)
      .where((s) =>
        and(
          s.nation.name.is("CANADA"),
          s.id.oneOf(
            from(Offer)
              .where((o) =>
                and(
                  o.part.name.startsWith("forest"),
                  o.available.asNumeric().above(
                    scalar(
                      from(Line)
                        .where((l) =>
                          and(
                            l.partId.is(o.partId),
                            l.supplierId.is(o.supplierId),
                            l.shipped.atLeast("1994-01-01"),
                            l.shipped.below("1995-01-01"),
                          ),
                        )
                        .totals((all) => all.sum((l) => l.quantity).times("0.5")),
                    ),
                  ),
                ),
              )
              .select((o) => o.supplierId),
          ),
        ),
      )
      .orderBy((s) => s.name.asc)
      .select((s) => ({ name: s.name, address: s.address })),
    byHand: ({ units, one }) =>
      `select s.name, s.address from supplier s join nation n on n.id = s.nation_id where n.name = 'CANADA' and s.id in (select o.supplier_id from offer o join part p on p.id = o.part_id where p.name like 'forest%' and o.available${one === "1" ? "" : " * 100"} > (select 0.5 * sum(${units("l.quantity")}) from line l where l.part_id = o.part_id and l.supplier_id = o.supplier_id and l.shipped >= '1994-01-01' and l.shipped < '1995-01-01')) order by s.name, s.id`,
  },
  {
    name: "21: suppliers who alone kept an order waiting",
    query: from(Line)
      .where((l) => {
        const others = from(Line).where((x) => and(x.purchaseId.is(l.purchaseId), x.supplierId.isNot(l.supplierId)));
        return and(
          l.purchase.status.is("F"),
          l.supplier.nation.name.is("SAUDI ARABIA"),
          l.received.above(l.promised),
          exists(others),
          notExists(others.where((x) => x.received.above(x.promised))),
        );
      })
      .groupBy((l) => l.supplier.name)
      .orderBy((g) => [g.count().desc, g.key.asc])
      .limit(100)
      .select((g) => ({ supplier: g.key, orders: g.count() })),
    byHand: () =>
      "select s.name, count(*) from supplier s join line l on l.supplier_id = s.id join purchase o on o.id = l.purchase_id join nation n on n.id = s.nation_id where o.status = 'F' and n.name = 'SAUDI ARABIA' and l.received > l.promised and exists (select 1 from line l2 where l2.purchase_id = l.purchase_id and l2.supplier_id <> l.supplier_id) and not exists (select 1 from line l3 where l3.purchase_id = l.purchase_id and l3.supplier_id <> l.supplier_id and l3.received > l3.promised) group by s.name order by count(*) desc, s.name limit 100",
  },
  {
    name: "22: customers without orders and with money, by the code of their country",
    query: (() => {
      const codes = ["13", "31", "23", "29", "30", "18", "17"];
      const rich = from(Customer).where((c) => and(c.phone.substring(1, 2).oneOf(codes), c.balance.above("0.00")));
      return from(Customer)
        .where((c) =>
          and(
            c.phone.substring(1, 2).oneOf(codes),
            c.balance.asNumeric(6).above(scalar(rich.totals((all) => all.avg((x) => x.balance, { scale: 6 })))),
            c.orders.notExists(),
          ),
        )
        .groupBy((c) => c.phone.substring(1, 2))
        .select((g) => ({ code: g.key, customers: g.count(), balance: g.sum((c) => c.balance) }));
    })(),
    byHand: ({ units, decimal }) =>
      `select substr(c.phone, 1, 2) as code, count(*), ${decimal(`sum(${units("c.balance")})`, 2)} from customer c where substr(c.phone, 1, 2) in ('13', '31', '23', '29', '30', '18', '17') and ${units("c.balance")} > (select avg(${units("c2.balance")}) from customer c2 where ${units("c2.balance")} > 0 and substr(c2.phone, 1, 2) in ('13', '31', '23', '29', '30', '18', '17')) and not exists (select 1 from purchase o where o.customer_id = c.id) group by substr(c.phone, 1, 2) order by 1`,
  },
];
