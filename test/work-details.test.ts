import { expect, test, vi } from "vitest";
import { createTables, entity, from, identity, integer, linked, model, text, timestamp, toMany, toOne, withLedger } from "../src/index.js";
import { useEngines } from "./support/engines.js";

const { all, names } = useEngines();

const library = model({
  Book: entity(
    "book",
    { id: identity, title: text, seen: timestamp.version },
    { tags: linked("Tag", { by: "Tagging" }), taggings: toMany("Tagging", { by: "bookId" }) },
  ),
  Tag: entity("tag", { id: identity, word: text }, { taggings: toMany("Tagging", { by: "tagId" }) }),
  Tagging: entity("tagging", { bookId: integer.key, tagId: integer.key }, { book: toOne("Book", { by: "bookId" }), tag: toOne("Tag", { by: "tagId" }) }),
  Shelf: entity("shelf", { id: integer.key, besideId: integer.nullable }, { beside: toOne("Shelf", { by: "besideId" }) }),
});
const { Book, Tag, Tagging, Shelf } = library;

test.each(names.map((name, at) => [name, at] as const))("small things of units of work, on %s", async (name, at) => {
  const db = (all()[at] as ReturnType<typeof all>[number]).connect();
  await createTables(db, library);
  await db.insert(Tag, [{ word: "one" }, { word: "two" }, { word: "three" }]);
  await db.insert(Book, [{ title: "a" }]);
  const [one, two, three] = [1, 2, 3];
  await db.insert(Tagging, [
    { bookId: 1, tagId: one },
    { bookId: 1, tagId: three },
  ]);

  // Links that are added come behind those that are there, in the list of links and in that of what they lead to.
  await db.work(async (w) => {
    const book = await w.byKey(Book, 1);
    expect((await book.tags).map(({ word }) => word)).toEqual(["one", "three"]);
    expect((await book.taggings).length).toBe(2);
    const tag = await w.byKey(Tag, two);
    w.add(Tagging, { bookId: 1, tagId: two });
    expect((await book.taggings).map(({ tagId }) => tagId)).toEqual([one, three, two]);
    expect((await book.tags).map(({ word }) => word)).toEqual(["one", "three", "two"]);
    expect(await tag.taggings).toHaveLength(1);
    // A list of which one entity is forgotten is read again.
    const forgotten = (await book.taggings)[1];
    w.forget(forgotten as never);
    await w.flush();
    expect(await book.taggings).not.toContain(forgotten);
    expect((await book.taggings).map(({ tagId }) => tagId).sort()).toEqual([one, two, three]);
    await expect(w.patch(book, {}, { onyl: [] } as never)).rejects.toMatchObject({ code: "OPTION_UNKNOWN" });
  });

  // A version that is an instant moves although the clock stands still, or is behind.
  const seen = async () => (await db.single(from(Book))).seen.getTime();
  const before = await seen();
  const clock = vi.spyOn(Date, "now").mockReturnValue(before - 5_000);
  try {
    await db.work(async (w) => {
      const book = await w.byKey(Book, 1);
      for (const title of ["b", "c"]) {
        book.title = title;
        await w.flush();
      }
    });
  } finally {
    clock.mockRestore();
  }
  expect(await seen()).toBe(before + 2);
  await db.work(async (w) => {
    (await w.byKey(Book, 1)).title = "d";
  });
  expect(await seen()).toBeGreaterThan(Date.now() - 60_000);

  // A row that leads to itself, and one beside it, are removed in an order that the foreign key allows.
  await db.insert(Shelf, [
    { id: 1, besideId: 1 },
    { id: 2, besideId: 1 },
  ]);
  const { statements } = await withLedger(db, "removal", () =>
    db.work(async (w) => {
      for (const shelf of await w.list(from(Shelf))) w.remove(shelf);
    }),
  );
  // Only MariaDB wants the key to be empty before.
  expect(statements.some(({ text }) => text.startsWith("update"))).toBe(name === "mariadb");
  expect(await db.count(from(Shelf))).toBe(0);
});
