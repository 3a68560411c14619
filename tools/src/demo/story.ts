import { type Database, from, type Ledger, withLedger } from "gemach";
import { lending } from "./lending.js";

const { Depot, Item, Loan } = lending;

/** A chapter leaves the database as it found it. */
const undone = new Error("undone");

/** One way to get an answer. */
export interface Chapter {
  /** A word by which a machine may find it. */
  readonly name: string;
  readonly title: string;
  /** The lesson of it. */
  readonly lesson: string;
  /** Chapters of the same question give deeply equal answers. */
  readonly question:
    | "depots with their items"
    | "number of open loans"
    | "open loans of each depot"
    | "who has which loan"
    | "one item's note"
    | "what was not asked for";
  readonly run: (db: Database) => Promise<unknown>;
  /** Whether its answer is a text that is worth reading. */
  readonly isTold?: boolean;
}

/** A chapter that was run. */
export interface ShownChapter extends Chapter {
  readonly ledger: Ledger;
  /** Its time by that of the first chapter; medians of several runs. */
  readonly relativeTime: number;
}

/** The chapters, in the order in which they are shown. */
export const chapters: readonly Chapter[] = [
  {
    name: "loop",
    title: "The loop: one statement for each depot",
    lesson: "It reads well, and asks the database once more for every depot: the N+1 pattern.",
    question: "depots with their items",
    run: async (db) => {
      const found = [];
      for (const depot of await db.list(from(Depot))) {
        const items = await db.list(from(Item).where((i) => i.depotId.is(depot.id)));
        found.push({ ...depot, items });
      }
      return found;
    },
  },
  {
    name: "batch",
    title: "Reach by batch: one more statement for all depots",
    lesson: "The keys of all depots travel as one parameter, so the text stays the same however many there are.",
    question: "depots with their items",
    run: (db) => db.list(from(Depot).reach({ items: true }).how("batch")),
  },
  {
    name: "join",
    title: "Reach by join: everything in one statement",
    lesson: "The depot's columns come again with each of its items; the rows are put together to the same answer.",
    question: "depots with their items",
    run: (db) => db.list(from(Depot).reach({ items: true }).how("join")),
  },
  {
    name: "count-in-memory",
    title: "Counting in memory: every row fetched to learn one number",
    lesson: "All open loans cross the wire, and then only their number is used.",
    question: "number of open loans",
    run: async (db) => {
      const open = await db.list(from(Loan).where((l) => l.returned.is(null)));
      return open.length;
    },
  },
  {
    name: "count",
    title: "Counting in the database: one row",
    lesson: "The same query as a value, handed to another verb.",
    question: "number of open loans",
    run: (db) => db.count(from(Loan).where((l) => l.returned.is(null))),
  },
  {
    name: "everything",
    title: "Everything fetched for a line of print",
    lesson: "To print a name and a number, each depot comes with its items, and each item with its open loans.",
    question: "open loans of each depot",
    run: async (db) => {
      const depots = await db.list(from(Depot).reach({ items: { loans: (l) => l.where((x) => x.returned.is(null)) } }));
      return depots.map(({ name, items }) => ({
        name,
        open: items.reduce((sum, item) => sum + item.loans.length, 0),
      }));
    },
  },
  {
    name: "projection",
    title: "A projection: only what is printed",
    lesson: "The path depot.items.loans is a set of rows that the database counts; no item and no loan is fetched.",
    question: "open loans of each depot",
    run: (db) =>
      db.list(
        from(Depot).select((d) => ({
          name: d.name,
          open: d.items.loans.where((l) => l.returned.is(null)).count(),
        })),
      ),
  },
  {
    name: "lazy-each",
    title: "The lazy loop: one statement for each loan",
    lesson:
      "Live entities, each loading its borrower for itself: what lazy loading costs where nothing is done about it.",
    question: "who has which loan",
    run: (db) =>
      db.work(
        async (w) => {
          const names = [];
          for (const loan of await w.list(from(Loan).limit(40))) names.push((await loan.borrower).name);
          return names;
        },
        { cohort: 1 },
      ),
  },
  {
    name: "lazy",
    title: "The same loop by cohort: one statement for all borrowers",
    lesson: "The first borrower that is awaited loads those of all loans that one statement brought together.",
    question: "who has which loan",
    run: (db) =>
      db.work(async (w) => {
        const names = [];
        for (const loan of await w.list(from(Loan).limit(40))) names.push((await loan.borrower).name);
        return names;
      }),
  },
  {
    name: "change",
    title: "One changed field: one column is written",
    lesson: "Changes are found by comparison with what was read. The chapter is rolled back at its end.",
    question: "one item's note",
    run: async (db) => {
      let note: string | null = null;
      const working = db.work(async (w) => {
        const item = await w.byKey(Item, 1);
        item.note = "the blade is new";
        await w.flush();
        note = item.note;
        throw undone;
      });
      await working.catch((error: unknown) => {
        if (error !== undone) throw error;
      });
      return note;
    },
  },
  {
    name: "refused",
    title: "A refused read: outside of the query's reach",
    lesson:
      "The query says that nothing else is to be loaded, so that a forgotten relation is an error that says what to add.",
    question: "what was not asked for",
    isTold: true,
    run: (db) =>
      db.work(async (w) => {
        const [loan] = await w.list(from(Loan).limit(1).outside("refuse"));
        try {
          return await loan?.borrower;
        } catch (error) {
          return (error as Error).message;
        }
      }),
  },
];

/** How often the chapters are run for their times: the first round warms up, and a large society makes do with few. */
const rounds = { least: 4, most: 16, milliseconds: 2000 };

const median = (times: readonly number[]): number => [...times].sort((a, b) => a - b)[times.length >> 1] ?? 0;

/**
 * Runs every chapter on a database that holds a society, in rounds, so that a busy moment troubles all alike. `pause`
 * is awaited between them.
 */
export async function runStory(
  db: Database,
  pause: () => Promise<void> = async () => {},
): Promise<readonly ShownChapter[]> {
  const ledgers = chapters.map((): Ledger[] => []);
  let spent = 0;
  for (let round = 0; round < rounds.least || (round < rounds.most && spent < rounds.milliseconds); round++) {
    for (const [i, chapter] of chapters.entries()) {
      const ledger = await withLedger(db, chapter.name, () => chapter.run(db));
      spent += ledger.milliseconds;
      ledgers[i]?.push(ledger);
      await pause();
    }
  }
  const times = ledgers.map((runs) => median(runs.slice(1).map((ledger) => ledger.milliseconds)));
  const shown: ShownChapter[] = [];
  for (const [i, chapter] of chapters.entries()) {
    // Once more for what there is to find: it looks at what code reads, and asks for plans.
    const ledger = await withLedger(db, chapter.name, () => chapter.run(db), { reads: true, plans: true });
    shown.push({ ...chapter, ledger, relativeTime: (times[i] as number) / (times[0] as number) });
  }
  return shown;
}
