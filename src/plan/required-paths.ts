import { type Node, type Path, type Projection, partsOf, pathTo, type QueryState } from "../ir/index.js";
import { mustLook } from "./presence.js";
import { keySlots, presenceSlots, type StatementBuilder } from "./statement-builder.js";
import type { Shape } from "./statement-plan.js";

const isSame = (a: Path, b: Path, count = a.steps.length): boolean =>
  a.source === b.source && b.steps.length >= count && a.steps.slice(0, count).every((step, i) => step === b.steps[i]);

const valuesOf = (projection: Projection): readonly Node[] => {
  if (projection.kind === "value") return [projection.node];
  return projection.kind === "object" ? projection.fields.flatMap(([, part]) => valuesOf(part)) : [];
};

function addPaths(node: Node, found: Path[]): void {
  if (node.kind === "column" && node.path.steps.length > 0 && !found.some((path) => isSame(node.path, path)))
    found.push(node.path);
  for (const part of partsOf(node)) addPaths(part, found);
}

/** Whether the type of what is at the end of a path says that there is a row, and nobody promises it. */
const isLooked = ({ steps, mayBeMissing }: Path, isTrusting: boolean): boolean =>
  !mayBeMissing && steps.some((step) => mustLook(step, isTrusting));

/**
 * A projection's shape that refuses a row whose to-one relations lead nowhere, where the types say that they lead to
 * rows. It looks at a value that is selected anyway, where there is one that cannot be null.
 */
export function withRequiredPaths(builder: StatementBuilder, { projection, groupBy }: QueryState, shape: Shape): Shape {
  if (projection === undefined || groupBy !== undefined) return shape;
  const isTrusting = builder.settings.isTrusting === true;
  const values = valuesOf(projection);
  const paths: Path[] = [];
  for (const node of values) addPaths(node, paths);
  const longest = paths.filter(
    (path) =>
      isLooked(path, isTrusting) &&
      !paths.some((other) => other.steps.length > path.steps.length && isSame(path, other)),
  );
  return longest.reduce<Shape>((row, path) => {
    const telling = values.find(
      (node) => node.kind === "column" && node.column.isRequired && isSame(node.path, path) && isSame(path, node.path),
    );
    const presence =
      telling?.kind === "column" ? [builder.slots.column(path, telling.column)] : presenceSlots(builder, path);
    const [first] = path.steps as [Path["steps"][number]];
    const own = pathTo(path.source);
    const isSelected = first.pairs.every(({ from }) =>
      values.some(
        (node) =>
          node.kind === "column" &&
          node.column === from &&
          node.path.source === path.source &&
          node.path.steps.length === 0,
      ),
    );
    const keys = isSelected
      ? keySlots(
          builder,
          own,
          first.pairs.map(({ from }) => from),
        )
      : [];
    const name = path.steps.map((step) => step.name).join(".");
    const relation = {
      name,
      cardinality: "one" as const,
      source: first.source,
      target: path.entity,
      steps: path.steps as readonly [typeof first, ...(typeof first)[]],
      strategy: undefined,
    };
    return { kind: "required", row, relation, keys, presence };
  }, shape);
}
