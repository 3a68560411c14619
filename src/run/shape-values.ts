import type { Scalar } from "../columns/index.js";
import type { Node, QueryState, SetNode } from "../expression/index.js";
import type { DeletePlan, UpdatePlan } from "../plan/index.js";
import { type CompiledStatement, type Dialect, ofMatch } from "../sql/index.js";

export type ValueNode = Extract<Node, { readonly kind: "value" }>;
export type ListNode = Extract<Node, { readonly kind: "oneOf" }> & { readonly values: readonly Scalar[] };

/** The values of a query, and its lists of values, in the order in which its shape is told. */
export type Values = readonly (ValueNode | ListNode)[];

/** The same change without values, to be printed once. */
export const changeWithoutValues = <P extends UpdatePlan | DeletePlan>(plan: P, values: Values): P => ({
  ...plan,
  query: withoutValues(plan.query, values),
  ...(plan.kind === "update" && {
    set: plan.set.map((one) => ({ ...one, value: opened(one.value, values) })),
  }),
});

const holeName = (place: number): string => `#${place}`;

/** In place of a value of a list. */
class ListPlace {
  readonly place: number;
  readonly index: number;

  constructor(place: number, index: number) {
    this.place = place;
    this.index = index;
  }
}

/**
 * So many places stand for a list: as many as dialects bring its length to, whose bounds for lists that stand in the text are such
 * numbers too.
 */
export function sizeOf(length: number): number {
  if (length < 2) return length;
  let size = 8;
  while (size < length && size < mostListed) size *= 2;
  return size;
}

/** More values than any dialect lists one by one, and a power of two. */
const mostListed = 2048;

const openedList = (node: ListNode, place: number): ListNode => ({
  ...node,
  values: Array.from({ length: sizeOf(node.values.length) }, (_, i) => new ListPlace(place, i) as unknown as Scalar),
});

const openedSet = (set: SetNode, values: Values): SetNode => ({
  ...set,
  from: "step" in set.from ? openedSet(set.from, values) : set.from,
  where: set.where.map((node) => opened(node, values)),
});

/** The same condition with holes in place of its values. */
function opened(node: Node, values: Values): Node {
  switch (node.kind) {
    case "value": {
      const place = values.indexOf(node);
      return place < 0 ? node : { kind: "hole", hole: holeName(place), type: node.type };
    }
    case "oneOf": {
      const place = values.indexOf(node as ListNode);
      return place < 0 ? node : openedList(node as ListNode, place);
    }
    case "call":
      return { ...node, operands: node.operands.map((part) => opened(part, values)) };
    case "compare":
      return { ...node, left: opened(node.left, values), right: opened(node.right, values) };
    case "isNull":
      return { ...node, operand: opened(node.operand, values) };
    case "not":
      return { ...node, item: opened(node.item, values) };
    case "logic":
      return { ...node, items: node.items.map((item) => opened(item, values)) };
    case "exists":
      return { ...node, set: openedSet(node.set, values) };
    default:
      return node;
  }
}

/** A query of the same shape without values, to be compiled once. */
export const withoutValues = (state: QueryState, values: Values): QueryState => ({
  ...state,
  where: state.where.map((node) => opened(node, values)),
  past: { isUsed: true },
});

type Parameter = CompiledStatement["parameters"][number];

/** What a parameter of a shape's statement is filled with; undefined where it is as it is. */
function fillOf(parameter: Parameter, dialect: Dialect): ((values: Values) => Parameter) | undefined {
  if (parameter.kind === "hole" && parameter.hole.startsWith("#")) {
    const { hole, type, isTyped } = parameter;
    const place = Number(hole.slice(1));
    return (values) => {
      const value = ofMatch(dialect, parameter, (values[place] as ValueNode).value);
      return { kind: "value", value, type, isTyped };
    };
  }
  if (parameter.kind === "list" && (parameter.values[0] as unknown) instanceof ListPlace) {
    const { type } = parameter;
    const { place } = parameter.values[0] as unknown as ListPlace;
    return (values) => ({ kind: "list", values: (values[place] as ListNode).values, type });
  }
  if (parameter.kind === "value" && (parameter.value as unknown) instanceof ListPlace) {
    const { type } = parameter;
    const { place, index } = parameter.value as unknown as ListPlace;
    // The last value stands in the places behind it, as where lists are brought to their length.
    return (values) => {
      const { values: list } = values[place] as ListNode;
      return { kind: "value", value: list[Math.min(index, list.length - 1)] as Scalar, type };
    };
  }
  return undefined;
}

const hasFill = ({ parameters, followUps }: CompiledStatement, dialect: Dialect): boolean =>
  parameters.some((parameter) => fillOf(parameter, dialect) !== undefined) ||
  [...followUps.values()].some((further) => hasFill(further, dialect));

/** Whether a statement's values are all its own: none of its follow-ups has any. */
export const isFilledAlone = ({ followUps }: CompiledStatement, dialect: Dialect): boolean =>
  ![...followUps.values()].some((further) => hasFill(further, dialect));

/** What makes the parameters of a shape's statement of a query's values. */
export function filler(parameters: readonly Parameter[], dialect: Dialect): (values: Values) => readonly Parameter[] {
  const fills = parameters.map((parameter) => fillOf(parameter, dialect) ?? (() => parameter));
  return (values) => fills.map((fill) => fill(values));
}
