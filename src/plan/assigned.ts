import { comparedKind } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  isExpression,
  type Node,
  nodeOf,
  qualified,
  type ResolvedColumn,
  type ResolvedEntity,
  typeOf,
} from "../expression/index.js";
import { type GivenAt, storedOrThrow } from "../model/index.js";
import type { Assigned } from "./write-plan.js";

/**
 * An expression that a column is given.
 * @throws GemachError `COLUMN_COMPUTED`, `VALUE_UNFIT` where it is of another kind
 */
export function fitted(column: ResolvedColumn, node: Node, at: GivenAt): Node {
  const name = qualified(column);
  if (column.isComputed) throw new GemachError("COLUMN_COMPUTED", { column: name, ...at });
  const { kind } = typeOf(node).type;
  if (comparedKind(kind) === comparedKind(column.kind)) return node;
  const expected = `an expression of kind ${column.kind}`;
  throw new GemachError("VALUE_UNFIT", { column: name, expected, got: `one of kind ${kind}`, ...at });
}

const assigned = (column: ResolvedColumn, given: unknown, at: GivenAt): Node =>
  isExpression(given)
    ? fitted(column, nodeOf(given), at)
    : {
        kind: "value",
        value: storedOrThrow(column, given, column.isNullable && !(column.kind === "json" && column.isRequired), at),
        type: column.type,
      };

/**
 * The columns that an object of changes names, also those inside of value objects; null for one empties all of its
 * columns, and undefined leaves a column as it is.
 */
export function assignedIn(
  { members, name }: Pick<ResolvedEntity, "members" | "name">,
  changes: unknown,
  at: GivenAt,
): readonly Assigned[] {
  return Object.entries(changes as object).flatMap(([property, given]): readonly Assigned[] => {
    const member = members.get(property);
    if (member === undefined)
      throw new GemachError("NAME_UNKNOWN", { entity: name, name: property, known: [...members.keys()] });
    if (given === undefined) return [];
    if (!("fields" in member)) return [{ column: member, value: assigned(member, given, at) }];
    const inside = { members: member.fields, name };
    if (given !== null) return assignedIn(inside, given, at);
    return [...member.fields.keys()].flatMap((field) => assignedIn(inside, { [field]: null }, at));
  });
}
