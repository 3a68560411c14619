import { comparedKind } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { isExpression, nodeOf } from "../expression/index.js";
import { type Node, qualified, type ResolvedColumn, type ResolvedEntity, typeOf } from "../ir/index.js";
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

/** Adds what an object of changes gives to the columns that it names. */
function assign(
  members: ResolvedEntity["members"],
  name: string,
  changes: Readonly<Record<string, unknown>>,
  at: GivenAt,
  to: Assigned[],
): void {
  for (const property of Object.keys(changes)) {
    const given = changes[property];
    const member = members.get(property);
    if (member === undefined)
      throw new GemachError("NAME_UNKNOWN", { entity: name, name: property, known: [...members.keys()] });
    if (given === undefined) continue;
    if (!("fields" in member)) to.push({ column: member, value: assigned(member, given, at) });
    else if (given !== null) assign(member.fields, name, given as typeof changes, at, to);
    else for (const field of member.fields.keys()) assign(member.fields, name, { [field]: null }, at, to);
  }
}

/**
 * The columns that an object of changes names, also those inside of value objects; null for one empties all of its
 * columns, and undefined leaves a column as it is.
 */
export function assignedIn(
  { members, name }: Pick<ResolvedEntity, "members" | "name">,
  changes: unknown,
  at: GivenAt,
): readonly Assigned[] {
  const to: Assigned[] = [];
  assign(members, name, changes as Readonly<Record<string, unknown>>, at, to);
  return to;
}
