import { GemachError } from "../errors/index.js";
import { columnAt, type Node, type Path, pathTo, type ResolvedEntity, type ResolvedMember } from "../ir/index.js";
import { expression } from "./expression.js";

/** Answers what a prototype does not have: names that code asks for by mistake are an error that says so. */
export function guard(entity: ResolvedEntity, known: readonly string[]): object {
  const silent = new Set<PropertyKey>(["then", "toJSON", "constructor", "toString", "valueOf"]);
  return new Proxy(Object.create(null), {
    get(_, name) {
      if (typeof name === "symbol" || silent.has(name)) return undefined;
      throw new GemachError("NAME_UNKNOWN", { entity: entity.name, name, known });
    },
  });
}

/** What a value object in a reference is known by: the columns that tell whether there is one. */
const valueKey: unique symbol = Symbol("gemach.value");

/** A column, or the parts of a value object, of the row at the end of a path. */
export function memberAt(path: Path, member: ResolvedMember): unknown {
  if (!("fields" in member)) return expression(columnAt(path, member));
  const parts = Object.fromEntries([...member.fields].map(([name, field]) => [name, memberAt(path, field)]));
  const presence = member.presence?.map((column) => columnAt(path, column));
  return Object.defineProperty(parts, valueKey, { value: presence });
}

/** Of a value object in a reference: nodes all of which are null where there is none. */
export const presenceOf = (parts: object): readonly Node[] | undefined =>
  (parts as { readonly [valueKey]?: readonly Node[] })[valueKey];

/** A row of which only its own columns are known, for rules that the model has for each row by itself. */
export function ownRow(entity: ResolvedEntity): object {
  const path = pathTo({ entity });
  const row = Object.create(guard(entity, [...entity.members.keys()])) as object;
  for (const [name, member] of entity.members)
    Object.defineProperty(row, name, { get: () => memberAt(path, member), enumerable: true });
  return row;
}
