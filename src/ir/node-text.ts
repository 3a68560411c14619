import { partsOf, setIn } from "./node.js";
import type { Node, Path, SetNode, Source } from "./resolved.js";

/** Gives a source's name in a text. */
export type NameSource = (source: Source) => string;

const pathText = ({ source, steps }: Path, nameSource: NameSource): string =>
  [nameSource(source), ...steps.map(({ name }) => name)].join(".");

function setText({ from, step, where, orderBy, limit, offset }: SetNode, nameSource: NameSource): string {
  const inside = (nodes: readonly Node[]) => nodes.map((node) => nodeText(node, nameSource)).join();
  const start = "step" in from ? setText(from, nameSource) : pathText(from, nameSource);
  const order = orderBy.map(({ node, descending }) => `${nodeText(node, nameSource)} ${descending}`);
  return `${start}/${step.name}[${inside(where)};${order};${limit};${offset}]`;
}

/** What a node is by itself, without its parts. */
function ownText(node: Node, nameSource: NameSource): string {
  switch (node.kind) {
    case "column":
      return `${pathText(node.path, nameSource)}.${node.column.property}`;
    case "value":
      return JSON.stringify(String(node.value));
    case "hole":
      return `:${node.hole}`;
    case "compare":
      return node.comparison;
    case "logic":
      return node.operator;
    case "call":
    case "window":
      return `${node.call} ${node.type.kind} ${node.type.scale}`;
    case "oneOf":
      return JSON.stringify("hole" in node.values ? node.values : node.values.map(String));
    case "raw":
      return JSON.stringify(node.parts);
    case "aggregate":
    case "group": {
      const { isDistinct, separator, fraction, isOfAll } = node.details;
      const order = node.details.orderBy.map((term) => `${nodeText(term.node, nameSource)} ${term.descending}`);
      return `${node.aggregate} ${JSON.stringify([isDistinct, separator, fraction, isOfAll, node.type.scale, order])}`;
    }
    default:
      return "";
  }
}

/**
 * An expression as a text: that of another is the same only where it is the same expression, of sources of the same
 * names.
 */
export function nodeText(node: Node, nameSource: NameSource): string {
  const set = setIn(node);
  const of = set === undefined ? "" : setText(set, nameSource);
  const operand = set !== undefined && "operand" in node && node.operand !== undefined ? [node.operand] : [];
  const parts = [...partsOf(node), ...operand].map((part) => nodeText(part, nameSource));
  return `${node.kind} ${ownText(node, nameSource)}${of}(${parts})`;
}
