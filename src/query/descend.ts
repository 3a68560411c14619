import { GemachError } from "../errors/index.js";
import { expression, nodeOf } from "../expression/index.js";
import {
  allOf,
  columnAt,
  constantNode,
  expectKey,
  type JoinNode,
  type Node,
  type Path,
  type Projection,
  pathTo,
  type QueryState,
  type ResolvedColumn,
  type ResolvedEntity,
  type Source,
  type Step,
  typeOf,
  valueNode,
} from "../ir/index.js";
import { derivedEntity } from "./derived.js";

const whole = { kind: "integer" } as const;
const text = { kind: "text" } as const;
/** As long as a path may be: MariaDB takes the length of the first row's unless it is said. */
const pathType = { kind: "varchar", length: 3000 } as const;

const call = (
  name: "plus" | "concat" | "cast" | "replace" | "contains",
  type: typeof whole | typeof text | typeof pathType | { kind: "boolean" },
  ...operands: Node[]
): Node => ({
  kind: "call",
  call: name,
  operands,
  type,
  isNullable: false,
});

const word = (value: string): Node => constantNode(value, text);

/** A row's key as a part of a path, with the escapes of a JSON Pointer (RFC 6901), so that no key looks like two. */
function partOf(path: Path): Node {
  const parts = path.entity.key.map((column): Node => {
    const node = columnAt(path, column);
    const plain = nodeOf(expression(node).asText());
    if (typeOf(node).type.kind !== "text" && typeOf(node).type.kind !== "varchar") return plain;
    return call("replace", text, call("replace", text, plain, word("~"), word("~0")), word("/"), word("~1"));
  });
  return parts.reduce((all, part) => call("concat", text, all, word(" "), part));
}

const equal = (left: Node, right: Node): Node => ({ kind: "compare", comparison: "equal", left, right });
const all = (items: readonly Node[]): Node => ({ kind: "logic", operator: "and", items });

/** The names under which a found row's columns are known: its key, and what leads on from it. */
const keyName = (at: number): string => `key_${at + 1}`;
const onName = (at: number): string => `on_${at + 1}`;

function projectionOf(path: Path, { pairs }: Step, depth: Node, places: Node): Projection {
  const value = (node: Node): Projection => ({ kind: "value", node });
  return {
    kind: "object",
    fields: [
      ...path.entity.key.map((column, i) => [keyName(i), value(columnAt(path, column))] as const),
      ...pairs.map(({ from }, i) => [onName(i), value(columnAt(path, from))] as const),
      ["depth", value(depth)],
      ["path", value(places)],
    ],
    presence: undefined,
  };
}

/** The rows of a query, and all that a relation to their own entity leads to from there, with depth and path. */
export function descended(
  query: QueryState,
  name: string,
): { readonly entity: ResolvedEntity; readonly state: QueryState } {
  const { entity } = query.source;
  expectKey(entity, "descend()");
  const relation = entity.relations.get(name);
  const own = [...entity.relations.values()].filter(({ target }) => target === entity);
  if (relation === undefined || !own.includes(relation))
    throw new GemachError("NAME_UNKNOWN", {
      entity: `${entity.name} (to itself)`,
      name,
      known: own.map((one) => one.name),
    });
  const { steps } = relation;
  const [step] = steps;
  const root = pathTo(query.source);
  const begin = call("cast", pathType, call("concat", text, word("/"), partOf(root), word("/")));
  const seed = { ...query, reach: [], projection: projectionOf(root, step, constantNode(0, whole), begin) };
  const derivation = { kind: "recursive", name: "tree", seed, step: seed, isAll: false } as const;
  const tree = derivedEntity("tree", [seed.projection], derivation, ["path"]);
  const column = (found: Source, property: string): Node =>
    columnAt(pathTo(found), tree.columns.get(property) as ResolvedColumn);

  const [next, found]: [Source, Source] = [{ entity }, { entity: tree }];
  const at = pathTo(next);
  const part = partOf(at);
  const seen = call(
    "contains",
    { kind: "boolean" },
    column(found, "path"),
    call("concat", text, word("/"), part, word("/")),
  );
  // Back from the next row to the one that was found: over the rows of links, or of whatever else lies between.
  const passed = steps.map((_, i): Source => (i === steps.length - 1 ? next : { entity: (steps[i] as Step).target }));
  const conditions = steps.flatMap((one, i) => {
    const path = pathTo(passed[i] as Source);
    return one.conditions.map(({ column: wanted, value }): Node => {
      const node = columnAt(path, wanted);
      return value === null ? { kind: "isNull", operand: node } : equal(node, valueNode(value, wanted.type));
    });
  });
  const joins = passed.slice(0, -1).map((source, i): JoinNode => {
    const [after, beyond] = [steps[i + 1] as Step, passed[i + 1] as Source];
    const pairs = after.pairs.map(({ from, to }) =>
      equal(columnAt(pathTo(beyond), to), columnAt(pathTo(source), from)),
    );
    return { kind: "inner", source, on: all(pairs) };
  });
  const first = pathTo(passed[0] as Source);
  const others: QueryState = {
    ...allOf(next),
    joins: [
      ...joins.reverse(),
      {
        kind: "inner",
        source: found,
        on: all(step.pairs.map(({ to }, i) => equal(columnAt(first, to), column(found, onName(i))))),
      },
    ],
    where: [...conditions, { kind: "not", item: seen }],
    projection: projectionOf(
      at,
      step,
      call("plus", whole, column(found, "depth"), constantNode(1, whole)),
      call("cast", pathType, call("concat", text, column(found, "path"), part, word("/"))),
    ),
  };
  Object.assign(derivation, { step: others });

  const [row, position]: [Source, Source] = [{ entity }, { entity: tree }];
  const on = all(entity.key.map((key, i) => equal(columnAt(pathTo(row), key), column(position, keyName(i)))));
  return { entity: tree, state: { ...allOf(row), joins: [{ kind: "inner", source: position, on }] } };
}
