import {
  qualified,
  type ResolvedColumn,
  type ResolvedEntity,
  type ResolvedRelation,
  type Scalar,
  type Step,
  type ValueType,
} from "../model/index.js";

/** Rows of one entity inside a query. Its identity tells two uses of one entity apart. */
export interface Source {
  readonly entity: ResolvedEntity;
}

/** To-one relations followed from a source, none or several. */
export interface Path {
  readonly source: Source;
  readonly steps: readonly Step[];
  readonly entity: ResolvedEntity;
  /** Whether there may be no row at its end. */
  readonly mayBeMissing: boolean;
}

/** The related rows of an owner, or of another such set, narrowed by conditions. */
export interface SetNode {
  readonly source: Source;
  readonly step: Step;
  /** Where the step starts: at a row, or at each row of a set. */
  readonly from: Path | SetNode;
  readonly where: readonly Node[];
}

/** How two values are compared. */
export type Comparison = "equal" | "unequal" | "below" | "above" | "atMost" | "atLeast";

/** An expression, as a tree that knows no dialect. Predicates are two-valued: a comparison with a missing value is false. */
export type Node =
  | { readonly kind: "column"; readonly path: Path; readonly column: ResolvedColumn }
  | { readonly kind: "value"; readonly value: Scalar; readonly type: ValueType }
  | { readonly kind: "compare"; readonly comparison: Comparison; readonly left: Node; readonly right: Node }
  | { readonly kind: "isNull"; readonly operand: Node }
  | { readonly kind: "oneOf"; readonly operand: Node; readonly values: readonly Scalar[] }
  | { readonly kind: "logic"; readonly operator: "and" | "or"; readonly items: readonly Node[] }
  | { readonly kind: "not"; readonly item: Node }
  | { readonly kind: "count"; readonly set: SetNode }
  | { readonly kind: "exists"; readonly set: SetNode };

/** An expression to sort by. */
export interface OrderNode {
  readonly node: Node;
  readonly descending: boolean;
}

/** What values an expression gives, and whether it may give none. */
export interface NodeType {
  readonly type: ValueType;
  readonly isNullable: boolean;
}

/** The type of an expression's values. */
export function typeOf(node: Node): NodeType {
  switch (node.kind) {
    case "column":
      return { type: node.column.type, isNullable: node.column.isNullable || node.path.mayBeMissing };
    case "value":
      return { type: node.type, isNullable: node.value === null };
    case "count":
      return { type: { kind: "integer" }, isNullable: false };
    case "compare":
    case "isNull":
    case "oneOf":
    case "logic":
    case "not":
    case "exists":
      return { type: { kind: "boolean" }, isNullable: false };
    default:
      return node satisfies never;
  }
}

/** How messages name an expression. */
export const labelOf = (node: Node): string => (node.kind === "column" ? qualified(node.column) : `a ${node.kind}`);

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
export function setAlong(from: Path | SetNode, { steps }: ResolvedRelation): SetNode {
  return steps.reduce<Path | SetNode>(
    (at, step) =>
      !("step" in at) && step.cardinality === "one"
        ? pathOver(at, step)
        : { source: { entity: step.target }, step, from: at, where: [] },
    from,
  ) as SetNode;
}

/** A column at the end of a path. */
export const columnAt = (path: Path, column: ResolvedColumn): Node => ({ kind: "column", path, column });
