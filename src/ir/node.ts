import type { Scalar, ValueType } from "../columns/index.js";
import {
  type Node,
  type NodeType,
  type Path,
  qualified,
  type ResolvedColumn,
  type ResolvedRelation,
  type SetNode,
  type Source,
  type Step,
} from "./resolved.js";

/** The type of an expression's values. */
export function typeOf(node: Node): NodeType {
  switch (node.kind) {
    case "column":
      return { type: node.column.type, isNullable: node.column.isNullable || node.path.mayBeMissing };
    case "value":
      return { type: node.type, isNullable: node.value === null };
    case "hole":
      return { type: node.type, isNullable: false };
    case "call":
    case "case":
    case "aggregate":
    case "first":
    case "group":
    case "window":
    case "raw":
    case "firstQuery":
      return node;
    case "compare":
    case "isNull":
    case "oneOf":
    case "logic":
    case "not":
    case "exists":
    case "inRows":
    case "inQuery":
    case "existsQuery":
      return { type: { kind: "boolean" }, isNullable: false };
    default:
      return node satisfies never;
  }
}

/** How messages name an expression. */
export const labelOf = (node: Node): string => {
  if (node.kind === "column") return qualified(node.column);
  return node.kind === "call" ? `${node.call}()` : `a ${node.kind}`;
};

/** The path to a source's own row. */
export const pathTo = (source: Source): Path => ({ source, steps: [], entity: source.entity, mayBeMissing: false });

const pathOver = (path: Path, step: Step): Path => ({
  source: path.source,
  steps: [...path.steps, step],
  entity: step.target,
  mayBeMissing: path.mayBeMissing || step.mayBeMissing,
});

/** A path that goes one to-one relation further. */
export const pathOn = (path: Path, { steps }: ResolvedRelation): Path => steps.reduce(pathOver, path);

/** The set of rows that a to-many relation leads to; the to-one steps that it begins with still belong to the path. */
export function setAlong(from: Path | SetNode, { steps }: Pick<ResolvedRelation, "steps">): SetNode {
  return steps.reduce<Path | SetNode>(
    (at, step) =>
      !("step" in at) && step.cardinality === "one"
        ? pathOver(at, step)
        : {
            source: { entity: step.target },
            step,
            from: at,
            where: [],
            orderBy: [],
            limit: undefined,
            offset: undefined,
          },
    from,
  ) as SetNode;
}

/** A column at the end of a path. */
export const columnAt = (path: Path, column: ResolvedColumn): Node => ({ kind: "column", path, column });

/** Whether two expressions are the same column of the same row. */
export const isSameColumn = (a: Node, b: Node): boolean =>
  a.kind === "column" &&
  b.kind === "column" &&
  a.column === b.column &&
  a.path.source === b.path.source &&
  a.path.steps.length === b.path.steps.length &&
  a.path.steps.every((step, i) => step === b.path.steps[i]);

/** A value as an expression. */
export const valueNode = (value: Scalar, type: ValueType): Node => ({ kind: "value", value, type });

/** A value that stands in a statement's text, as it is no data. */
export const constantNode = (value: Scalar, type: ValueType): Node => ({
  kind: "value",
  value,
  type,
  isConstant: true,
});

/** The expressions that an expression is directly made of; those inside of a set are its own affair. */
export function partsOf(node: Node): readonly Node[] {
  switch (node.kind) {
    case "compare":
      return [node.left, node.right];
    case "isNull":
    case "oneOf":
      return [node.operand];
    case "logic":
      return node.items;
    case "not":
      return [node.item];
    case "call":
    case "inRows":
    case "inQuery":
      return node.operands;
    case "raw":
      return node.between.filter((part) => part.kind !== "table");
    case "group":
      return [node.operand, node.filter, ...node.details.orderBy.map((order) => order.node)].filter(
        (part) => part !== undefined,
      );
    case "window":
      return [...node.operands, ...node.partitionBy, ...node.orderBy.map((order) => order.node)];
    case "case": {
      const branches = node.branches.flatMap((branch) => [branch.when, branch.value]);
      return node.otherwise === undefined ? branches : [...branches, node.otherwise];
    }
    case "column":
    case "value":
    case "hole":
    case "aggregate":
    case "first":
    case "exists":
    case "existsQuery":
    case "firstQuery":
      return [];
    default:
      return node satisfies never;
  }
}

/** Whether a value is of a row among others. */
export const hasWindow = (node: Node): boolean => node.kind === "window" || partsOf(node).some(hasWindow);

/** The set that an expression asks something of. */
export const setIn = (node: Node): SetNode | undefined => ("set" in node ? node.set : undefined);

/** The rows that an expression is of; undefined where no column is in it. */
export function sourceIn(node: Node): Source | undefined {
  if (node.kind === "column") return node.path.source;
  for (const part of partsOf(node)) {
    const source = sourceIn(part);
    if (source !== undefined) return source;
  }
  return undefined;
}
