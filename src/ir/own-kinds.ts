import { isOfMoment } from "./calls.js";
import type { Node } from "./resolved.js";

/** Whether a kind of expression is of one row by itself, and of nothing but its columns. */
const ownByKind = {
  column: true,
  value: true,
  compare: true,
  isNull: true,
  oneOf: true,
  logic: true,
  not: true,
  call: true,
  case: true,
  hole: false,
  aggregate: false,
  first: false,
  exists: false,
  group: false,
  window: false,
  raw: true,
  inRows: false,
  inQuery: false,
  existsQuery: false,
  firstQuery: false,
} as const satisfies Record<Node["kind"], boolean>;

/** Kinds of expression that a rule may be made of. */
export type OwnNodeKind = { [K in Node["kind"]]: (typeof ownByKind)[K] extends true ? K : never }[Node["kind"]];

/** Whether an expression is of such a kind, and the same at any time. */
export const isOwnKind = (node: Node): boolean =>
  ownByKind[node.kind] && !(node.kind === "call" && isOfMoment(node.call));
