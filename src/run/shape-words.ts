import type { ValueType } from "../columns/index.js";
import type { Node, Source } from "../expression/index.js";
import type { ShapePlace } from "./shape-tree.js";
import type { ListNode, ValueNode } from "./shape-values.js";

// What follows goes from place to place, a word for each thing that sets queries apart, and as many as were said before where there may be
// several: so two shapes never come to one place. It is undefined for what only a whole compilation knows how to say.
export type From = ShapePlace<unknown>;
export type Place = From | undefined;

/** What was met on the way. */
export interface Told {
  /** The values that may be others in the next query, in the order in which they were met. */
  readonly values: (ValueNode | ListNode)[];
  /** Values that belong to the shape. */
  readonly said: ValueNode[];
  /** What a column may be of: the query's own sources, and those of what is around it. */
  readonly sources: readonly Source[];
  /** What rows are grouped by, which is known by its identity where it is used again. */
  readonly keys: readonly Node[];
}

/** Words that no name is. */
const [again, key, said, value, length, digits, choices, element, stored, codec, padded, text, gathered, nulls] =
  Array.from({ length: 14 }, () => Symbol());

/** Many types are made anew at each call of a builder; what most have not is not told of them. */
export function atType(from: From, type: ValueType): From {
  let at = from.at(type.kind);
  if (type.length !== undefined) at = at.at(length).at(type.length);
  if (type.precision !== undefined) at = at.at(digits).at(type.precision).at(type.scale);
  if (type.choices !== undefined) at = at.at(choices).at(type.choices);
  if (type.element !== undefined) at = atType(at.at(element), type.element);
  if (type.stored !== undefined) at = at.at(stored).at(type.stored);
  if (type.codec !== undefined) at = at.at(codec).at(type.codec);
  if (type.isPadded === true) at = at.at(padded);
  if (type.isText === true) at = at.at(text);
  if (type.isGathered === true) at = at.at(gathered);
  return type.hasNulls === true ? at.at(nulls) : at;
}

export const atAgain = (from: From, place: number): From => from.at(again).at(place);

export const atKey = (from: From, place: number): From => from.at(key).at(place);

/** A value that belongs to the shape, so that it stays where it is. */
export function atSaid(from: From, node: ValueNode, told: Told): From {
  told.said.push(node);
  return atType(from.at(said).at(node.value), node.type);
}

const atVariable = (from: From, node: ValueNode, { values }: Told, isKnown: boolean): From => {
  values.push(node);
  return isKnown ? from.at(value) : atType(from, node.type);
};

/**
 * A value: where it was met before, it is the same one there and here. `isKnown`: its type is told by what it is compared with. Whether it is
 * missing belongs to the shape, as comparisons are said otherwise then.
 */
export function atValue(from: From, node: ValueNode, told: Told, isKnown: boolean): From {
  const known = told.values.indexOf(node);
  if (known >= 0) return atAgain(from, known);
  if (node.isConstant || node.value === null || told.said.includes(node)) return atSaid(from, node, told);
  return atVariable(from, node, told, isKnown);
}

/** A value that a column of its type is given, missing or not. */
export function atAssigned(from: From, node: ValueNode, told: Told): From {
  const isNull = node.value === null && !told.values.includes(node) && !told.said.includes(node);
  return isNull ? atVariable(from, node, told, true) : atValue(from, node, told, true);
}
