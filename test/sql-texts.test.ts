import { expect, test } from "vitest";
import { laidOut } from "../src/cli/sql-text.js";
import { lending } from "../src/demo/index.js";
import { and, type DialectName, from, layOutText, not, or, preview, type Query } from "../src/index.js";

const { Depot, District, Item, Kit, Loan, Member } = lending;

const open = from(Loan).where((l) => l.returned.is(null));

/** Queries whose texts stand in test/sql, one file a dialect, to be read. */
const queries: Readonly<Record<string, Query>> = {
  "open loans, latest first": open.orderBy((l) => l.due.desc).limit(10),
  "and, or, not": from(Loan).where((l) => and(or(l.due.below("2026-03-01"), l.memberId.oneOf([1, 2])), not(l.returned.isNot(null)))),
  "a path used three times joins once": from(Loan)
    .where((l) => l.item.depot.name.is("Elm Yard"))
    .orderBy((l) => l.item.depot.name.asc)
    .select((l) => l.item.depot.town),
  "unequal keeps what is missing": from(Member).where((m) => m.sponsor.name.isNot("Ada Levi")),
  "counts of sets": from(Depot).select((d) => ({ items: d.items.count(), borrowers: d.items.loans.borrower.count() })),
  "sets inside sets": from(Member).where((m) => m.sponsored.where((s) => s.loans.where((l) => l.returned.is(null)).exists()).exists()),
  "to-one relations, joined": from(Loan).reach({ item: { depot: true }, borrower: { sponsor: true } }),
  "to-one relations, by batch": from(Loan).how("batch").reach({ item: true }),
  "to-many relations, by batch, narrowed": from(Item).reach({
    loans: (l) =>
      l
        .where((x) => x.returned.is(null))
        .orderBy((x) => x.due.asc)
        .reach({ borrower: true }),
  }),
  "to-many relations, by batch, limited": from(Item).reach({ loans: (l) => l.orderBy((x) => x.due.desc).limit(3) }),
  "to-many relations, joined": from(Depot)
    .how("join")
    .reach({ items: { loans: true } }),
  "to-many relations, joined, the root limited": from(Depot)
    .orderBy((d) => [d.district.name.asc, d.name.desc])
    .limit(5)
    .offset(10)
    .how("join")
    .reach({ items: true, district: true }),
  "a way up, joined": from(Loan).reach({ district: true }),
  "a way up, by batch": from(Loan).how("batch").reach({ district: true }),
  "a way down, by batch": from(District).reach({ loans: true }),
  "a way down and up again, by batch": from(District).reach({ borrowers: true }),
  "a way down and up again, by batch, limited": from(District).reach({ borrowers: (b) => b.limit(2) }),
  "a way down and up again, joined": from(District).how("join").reach({ borrowers: true }),
  "many to many, by batch": from(Kit).reach({ items: true }),
  "a way as a set": from(District).select((d) => ({ loans: d.loans.count(), borrowers: d.borrowers.count() })),
  "conditions and order of its own": from(Item).reach({ openLoans: true, manual: true }),
  "to-many relations, joined, narrowed": from(Depot)
    .how("join")
    .reach({ items: (i) => i.where((x) => x.note.isNot(null)), district: true }),
  "to-many relations, joined, with conditions that leave the row": from(Item)
    .how("join")
    .reach({ loans: (l) => l.where((x) => x.borrower.blocked).limit(2) }),
};

test.each<DialectName>(["sqlite", "postgres", "mariadb"])("the texts of %s are as they were read", async (dialect) => {
  const texts = Object.entries(queries).map(([name, query]) => {
    const statements = preview(query, { dialect }).map(
      ({ purpose, text, parameters }) => `-- ${purpose}: ${JSON.stringify(parameters)}\n${laidOut(text, dialect)};\n`,
    );
    return `-- # ${name}\n${statements.join("")}`;
  });
  const tables = layOutText(lending, dialect).map((text) => `${text};\n`);
  await expect([...texts, `-- # tables\n${tables.join("")}`].join("\n")).toMatchFileSnapshot(`sql/${dialect}.sql`);
});
