import { expect, test } from "vitest";
import { entity, from, identity, integer, layOut, model, text, toMany, toOne, withLedger } from "../src/index.js";
import { useEngines } from "./support/engines.js";

const { Place, Piece, Tag } = model({
  /** An item's place inside its depot: told apart by depot and label together. */
  Place: entity("place", { depotId: integer.key, label: text.key, note: text.nullable }, { pieces: toMany("Piece", { by: ["depotId", "placeLabel"] }) }),
  Piece: entity(
    "piece",
    { id: identity, depotId: integer, placeLabel: text.nullable.named("label") },
    { place: toOne("Place", { by: ["depotId", "placeLabel"] }), tags: toMany("Tag", { by: "pieceId" }) },
  ),
  Tag: entity("tag", { pieceId: integer.key, word: text.key }, { piece: toOne("Piece", { by: "pieceId" }) }),
});
const { all } = useEngines();

/** Labels that a key made by gluing texts together would mix up. */
const places = [
  { depotId: 1, label: '"a",{b}', note: "by the door" },
  { depotId: 1, label: "1:2", note: null },
  { depotId: 11, label: ":2", note: null },
  { depotId: 11, label: "empty", note: null },
];
const pieces = [
  { id: 1, depotId: 1, placeLabel: "1:2" },
  { id: 2, depotId: 11, placeLabel: ":2" },
  { id: 3, depotId: 1, placeLabel: '"a",{b}' },
  { id: 4, depotId: 1, placeLabel: null },
  { id: 5, depotId: 1, placeLabel: "1:2" },
];
const tags = [
  { pieceId: 1, word: "loud" },
  { pieceId: 5, word: "heavy" },
  { pieceId: 5, word: "loud" },
];

test("relations over keys of two columns, by every strategy", async () => {
  for (const engine of all()) {
    const db = engine.connect();
    await layOut(db, { Place, Piece, Tag });
    await db.insert(Place, places);
    await db.insert(Piece, pieces);
    await db.insert(Tag, tags);
    const withTags = pieces.map((piece) => ({ ...piece, tags: tags.filter((tag) => tag.pieceId === piece.id) }));
    const down = places.map((place) => ({
      ...place,
      pieces: withTags.filter((piece) => piece.depotId === place.depotId && piece.placeLabel === place.label),
    }));
    const up = pieces.map((piece) => ({
      ...piece,
      place: places.find((place) => place.depotId === piece.depotId && place.label === piece.placeLabel) ?? null,
    }));
    for (const how of ["join", "batch", "nest", "auto"] as const) {
      expect(
        await db.list(
          from(Place)
            .how(how)
            .reach({ pieces: { tags: true } }),
        ),
        `${engine.name} ${how}`,
      ).toStrictEqual(down);
      expect(await db.list(from(Piece).how(how).reach({ place: true })), `${engine.name} ${how}`).toStrictEqual(up);
    }
    const { totals } = await withLedger(db, "batch", () => db.list(from(Piece).how("batch").reach({ place: true })));
    expect(totals).toMatchObject({ statements: 2, rows: pieces.length + 3 });
    expect(await db.list(from(Place).select((p) => p.pieces.tags.count()))).toEqual([0, 3, 0, 0]);
    expect(await db.count(from(Place).where((p) => p.pieces.notExists()))).toBe(1);
  }
});
