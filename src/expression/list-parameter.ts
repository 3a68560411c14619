import { comparedKind, type ValueType } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { type Hole, labelOf, type Node, typeOf } from "../ir/index.js";

declare const listedValue: unique symbol;
const listKey: unique symbol = Symbol("gemach.list");

/** A list that is given when a template is run: what `oneOf` and `notOneOf` take. */
export interface ListParameter<out V = unknown> {
  /** For the types only. @internal */
  readonly [listedValue]: V;
}

interface ListHole extends Hole {
  readonly element: ValueType;
}

/** A list parameter of a name. */
export const listParameter = (hole: string, element: ValueType): object => ({ [listKey]: { hole, element } });

/** The place of a list parameter; undefined for anything else. */
export const listHoleIn = (value: unknown): ListHole | undefined =>
  typeof value === "object" && value !== null ? (value as { readonly [listKey]?: ListHole })[listKey] : undefined;

/**
 * A list parameter as the values that an expression is compared with.
 * @throws GemachError `VALUE_UNFIT` where they are of another kind.
 */
export function listHoleFor(operand: Node, { hole, element }: ListHole): Hole {
  const { kind } = typeOf(operand).type;
  if (comparedKind(kind) !== comparedKind(element.kind))
    throw new GemachError("VALUE_UNFIT", {
      column: labelOf(operand),
      expected: `a list of ${comparedKind(kind)}`,
      got: `a list of ${element.kind}`,
    });
  return { hole };
}
