import type { Scalar } from "../../columns/index.js";
import { type Node, type QueryState, replacing } from "../../ir/index.js";
import type { DeletePlan, UpdatePlan } from "../../plan/index.js";
import { type CompiledStatement, type Dialect, ofMatch } from "../../sql/index.js";

export type ValueNode = Extract<Node, { readonly kind: "value" }>;
export type ListNode = Extract<Node, { readonly kind: "oneOf" }> & { readonly values: readonly Scalar[] };

/** The values of a query, and its lists of values, in the order in which its key names them. */
export type Values = readonly (ValueNode | ListNode)[];

/** In place of a value of a list. */
class ListPosition {
  readonly place: number;
  readonly index: number;

  constructor(position: number, index: number) {
    this.place = position;
    this.index = index;
  }
}

/**
 * So many places stand for a list: as many as dialects bring its length to, whose bounds for lists that stand in the
 * text are such numbers too.
 */
export function sizeOf(length: number): number {
  if (length < 2) return length;
  let size = 8;
  while (size < length && size < mostListed) size *= 2;
  return size;
}

/** More values than any dialect lists one by one, and a power of two. */
const mostListed = 65_536;

const openedList = (node: ListNode, position: number): ListNode => ({
  ...node,
  values: Array.from(
    { length: sizeOf(node.values.length) },
    (_, i) => new ListPosition(position, i) as unknown as Scalar,
  ),
});

/** Puts holes in place of the values. */
const withHoles = (values: Values) =>
  replacing((node) => {
    const position = values.indexOf(node as ValueNode | ListNode);
    if (position < 0) return node;
    return node.kind === "oneOf"
      ? openedList(node as ListNode, position)
      : { kind: "hole", hole: `#${position}`, type: node.type };
  });

/** A query of the same key without values, to be compiled once. */
export const withoutValues = (state: QueryState, values: Values): QueryState => ({
  ...withHoles(values).query(state),
  memo: { isUsed: true },
});

/** A change of the same key without values, to be printed once. */
export function changeWithoutValues<P extends UpdatePlan | DeletePlan>(plan: P, values: Values): P {
  const { query, node } = withHoles(values);
  return {
    ...plan,
    query: query(plan.query),
    ...(plan.kind === "update" && { set: plan.set.map((one) => ({ ...one, value: node(one.value) })) }),
  };
}

type Sized = NonNullable<CompiledStatement["sized"]>;
type Parameter = CompiledStatement["parameters"][number];

const positionIn = (value: unknown): ListPosition | undefined => (value instanceof ListPosition ? value : undefined);

/** Fills a parameter of a shared statement; undefined if it stays as it is. */
function fillOf(parameter: Parameter, dialect: Dialect): ((values: Values) => Parameter) | undefined {
  if (parameter.kind === "hole" && parameter.hole.startsWith("#")) {
    const { hole, type, isTyped } = parameter;
    const position = Number(hole.slice(1));
    return (values) => {
      const value = ofMatch(dialect, parameter, (values[position] as ValueNode).value);
      return { kind: "value", value, type, isTyped };
    };
  }
  const listed = parameter.kind === "list" ? positionIn(parameter.values[0]) : undefined;
  if (parameter.kind === "list" && listed !== undefined) {
    const { type } = parameter;
    const { place: position } = listed;
    return (values) => ({ kind: "list", values: (values[position] as ListNode).values, type });
  }
  const single = parameter.kind === "value" ? positionIn(parameter.value) : undefined;
  if (parameter.kind === "value" && single !== undefined) {
    const { type } = parameter;
    const { place: position, index } = single;
    // The last value stands in the places behind it, as where lists are brought to their length.
    return (values) => {
      const { values: list } = values[position] as ListNode;
      return { kind: "value", value: list[Math.min(index, list.length - 1)] as Scalar, type };
    };
  }
  return undefined;
}

type Fill = (values: Values) => readonly Parameter[];

/** Makes the parameters of a shared statement from a query's values; undefined if they are the same for all. */
export function parameterFiller(parameters: readonly Parameter[], dialect: Dialect): Fill | undefined {
  const fills = parameters.map((parameter) => fillOf(parameter, dialect));
  if (fills.every((fill) => fill === undefined)) return undefined;
  const all = fills.map((fill, i) => fill ?? (() => parameters[i] as Parameter));
  return (values) => all.map((fill) => fill(values));
}

/** What makes the statement of a query of its values; undefined where it is the same for all. */
export function statementFiller(
  statement: CompiledStatement,
  dialect: Dialect,
): ((values: Values) => CompiledStatement) | undefined {
  const { plan, origin, text, parameters, followUps, packed, sized } = statement;
  const fill = parameterFiller(parameters, dialect);
  const others = [...followUps].map(([followUp, one]) => [followUp, one, statementFiller(one, dialect)] as const);
  const isSame = others.every(([, , make]) => make === undefined);
  if (fill === undefined && isSame) return undefined;
  const ofAll = fill ?? (() => parameters);
  const fillSized = sized && sizedFiller(sized, dialect);
  // Named one by one: a spread takes a microsecond, as much as SQLite for a row.
  return (values) => ({
    plan,
    origin,
    text,
    parameters: ofAll(values),
    followUps: isSame ? followUps : new Map(others.map(([followUp, one, make]) => [followUp, make?.(values) ?? one])),
    packed,
    sized: fillSized?.(values),
  });
}

/** Fills its texts with places for so many keys. */
function sizedFiller(sized: Sized, dialect: Dialect): (values: Values) => Sized {
  const fills = new Map<ReturnType<Sized>, Fill | undefined>();
  return (values) => (keys) => {
    const printed = sized(keys);
    if (!fills.has(printed)) fills.set(printed, parameterFiller(printed.parameters, dialect));
    const fill = fills.get(printed);
    return fill === undefined ? printed : { text: printed.text, parameters: fill(values) };
  };
}
