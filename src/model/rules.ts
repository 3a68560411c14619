import { comparedKind } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { isExpression, nodeOf, ownRow, predicateNode } from "../expression/index.js";
import { isOwnKind, type Node, partsOf, typeOf } from "../ir/index.js";
import type { EntityDefinition } from "./entity.js";
import type { EntityBuilder } from "./link.js";

const isOwn = (node: Node): boolean => isOwnKind(node) && partsOf(node).every(isOwn);

/** What a callback of an option gives, or the mistakes that show when it is called. */
function asked(label: string, ask: () => unknown, take: (name: string, given: unknown) => void): readonly string[] {
  try {
    for (const [name, given] of Object.entries(ask() as object)) take(name, given);
    return [];
  } catch (error) {
    if (error instanceof GemachError) return [`${label}: ${error.message}`];
    throw error;
  }
}

function* computationMistakes(builder: EntityBuilder): Generator<string> {
  for (const column of builder.columns.values()) {
    const node = builder.computations.get(column);
    const label = `${builder.name}.${column.property}`;
    if (node === undefined) continue;
    if (!column.isComputed) yield `${label}: 'computes' names it, but the column is not marked as computed`;
    const { type, isNullable } = typeOf(node);
    if (comparedKind(type.kind) !== comparedKind(column.kind))
      yield `${label}: it is ${column.kind}, but what it is computed of is ${type.kind}`;
    if (isNullable && !column.isNullable) yield `${label}: what it is computed of may be missing; make it nullable`;
  }
}

function own(node: Node, entity: string, name: string): Node {
  if (!isOwn(node)) throw new GemachError("RULE_BEYOND_ROW", { entity, name });
  return node;
}

/** Settles what the entity's rules say of its own columns, and gives the mistakes in them. */
export function settleRules(
  builder: EntityBuilder,
  { checks, computes }: EntityDefinition["options"],
): readonly string[] {
  const row = ownRow(builder) as never;
  const mistakes = [
    ...asked(
      `${builder.name}: checks`,
      () => checks?.(row) ?? {},
      (name, given) => builder.checks.set(name, own(predicateNode(given, "checks"), builder.name, name)),
    ),
    ...asked(
      `${builder.name}: computes`,
      () => computes?.(row) ?? {},
      (name, given) => {
        const column = builder.columns.get(name);
        if (column === undefined)
          throw new GemachError("NAME_UNKNOWN", { entity: builder.name, name, known: [...builder.columns.keys()] });
        if (isExpression(given)) builder.computations.set(column, own(nodeOf(given), builder.name, name));
      },
    ),
  ];
  return [...mistakes, ...(mistakes.length === 0 ? computationMistakes(builder) : [])];
}
