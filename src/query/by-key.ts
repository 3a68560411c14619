import { typeWord } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { operandOf } from "../expression/index.js";
import { columnAt, expectKey, type Node, pathTo, type ResolvedColumn, type Source } from "../ir/index.js";

/**
 * That a row has a primary key: one value, or an object of several.
 * @throws GemachError `VALUE_UNFIT`, and where the entity has no key
 */
export function keyConditions(source: Source, key: unknown): readonly Node[] {
  const { key: columns, name } = source.entity;
  expectKey(source.entity, "byKey()");
  const isSingle = columns.length === 1;
  if (!isSingle && (typeof key !== "object" || key === null))
    throw new GemachError("VALUE_UNFIT", {
      column: `byKey() of ${name}`,
      expected: `an object of ${columns.map(({ property }) => property).join(", ")}`,
      got: typeWord(key),
    });
  const given = (column: ResolvedColumn) =>
    isSingle ? key : (key as Readonly<Record<string, unknown>>)[column.property];
  return columns.map((column): Node => {
    const left = columnAt(pathTo(source), column);
    return { kind: "compare", comparison: "equal", left, right: operandOf(left, given(column)) };
  });
}
