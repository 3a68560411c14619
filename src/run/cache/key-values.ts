import type { ValueType } from "../../columns/index.js";
import type { ValueNode } from "./holes.js";
import { type Adds, type Members, membersOf, type Next, optional, type Point, type Visited } from "./key-members.js";

/** Words that are no names. */
const [known, constant, variable, usual] = Array.from({ length: 4 }, () => Symbol());

const typeMembers: Members<Omit<ValueType, "kind">> = {
  length: (point, { length }) => point.next(length),
  isPadded: (point, { isPadded }) => point.next(isPadded),
  precision: (point, { precision }) => point.next(precision),
  scale: (point, { scale }) => point.next(scale),
  choices: (point, { choices }) => point.next(choices),
  element: (point, { element }, visited) => addElement(point, element, visited),
  hasNulls: (point, { hasNulls }) => point.next(hasNulls),
  isGathered: (point, { isGathered }) => point.next(isGathered),
  stored: (point, { stored }) => point.next(stored),
  isText: (point, { isText }) => point.next(isText),
  codec: (point, { codec }) => point.next(codec),
};
const addWholeType = membersOf(typeMembers);
const addElement = optional<ValueType>((point, type, visited) => addType(point, type, visited));

/** A type, which builders make anew at each call; most are a kind and nothing else. */
export const addType: Adds<ValueType> = (point, type, visited) => {
  for (const member in type) if (member !== "kind") return addWholeType(point.next(type.kind), type, visited);
  return point.next(usual).next(type.kind);
};

/** A value that stands in the text, and in the key. */
export function addConstant(point: Point, node: ValueNode, visited: Visited): Next {
  visited.constants.push(node);
  return addType(point.next(constant).next(node.value), node.type, visited);
}

function addVariable(point: Point, node: ValueNode, visited: Visited, isTypeKnown: boolean): Next {
  visited.values.push(node);
  const at = point.next(variable);
  return isTypeKnown ? at : addType(at, node.type, visited);
}

/** The index of a value that was met before, if it was: there and here it is the same one. */
export function addAgain(point: Point, node: Visited["values"][number], { values }: Visited): Next {
  const index = values.indexOf(node);
  return index < 0 ? undefined : point.next(known).next(index);
}

/**
 * A value. `isTypeKnown`: its type is that of what it is compared with. Whether it is null is part of the key, since
 * comparisons are other ones then.
 */
export function addValue(point: Point, node: ValueNode, visited: Visited, isTypeKnown: boolean): Next {
  const again = addAgain(point, node, visited);
  if (again !== undefined) return again;
  if (node.isConstant || node.value === null || visited.constants.includes(node)) {
    return addConstant(point, node, visited);
  }
  return addVariable(point, node, visited, isTypeKnown);
}

/** A value that a column of its type is given, null or not. */
export function addAssigned(point: Point, node: ValueNode, visited: Visited): Next {
  const isNew = !visited.values.includes(node) && !visited.constants.includes(node);
  return node.value === null && isNew ? addVariable(point, node, visited, true) : addValue(point, node, visited, true);
}
