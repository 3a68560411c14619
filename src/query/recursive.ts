import { type ColumnKind, comparedKind, type ValueType } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { replaced } from "../expression/index.js";
import {
  type Derivation,
  filled,
  type Node,
  type Projection,
  partsOf,
  type Query,
  type QueryState,
  setIn,
  typeOf,
} from "../ir/index.js";
import type { Derived, Selecting } from "./combined-types.js";
import { alike } from "./compound.js";
import { derivedEntity, fieldsOf, projectionOfQuery } from "./derived.js";
import { queryOf, stateOf } from "./query.js";
import type { Selected } from "./selection.js";

/** As long as a text may become: MariaDB takes the length of the first rows' unless it is said. */
const longText: ValueType = { kind: "varchar", length: 3000 };

/** Whether an engine may give a whole number more bits than a column has: of many rows, of another query. */
const isWide = (node: Node): boolean =>
  ["group", "window", "raw"].includes(node.kind) ||
  setIn(node) !== undefined ||
  "query" in node ||
  partsOf(node).some(isWide);

const isSameType = (a: ValueType, b: ValueType): boolean =>
  a.kind === b.kind && a.length === b.length && a.precision === b.precision && a.scale === b.scale;

/**
 * The type to which both the first value and the one that goes on from it are cast; undefined where engines see them
 * alike.
 */
function commonType(seed: Node, step: Node): ValueType | undefined {
  const [{ type: first }, { type: next }] = [typeOf(seed), typeOf(step)];
  if (seed.kind === "column" && step.kind === "column" && isSameType(first, next)) return undefined;
  const kind: ColumnKind = comparedKind(first.kind);
  switch (kind) {
    case "text":
      return longText;
    case "numeric":
      return { kind, precision: 65, scale: first.scale ?? 0 };
    case "integer":
    case "bigint":
      return [seed, step].some(isWide) ? { kind } : undefined;
    default:
      return undefined;
  }
}

const cast = (node: Node, type: ValueType): Node => ({
  kind: "call",
  call: "cast",
  operands: [node],
  type,
  isNullable: typeOf(node).isNullable,
});

/**
 * Both projections with values of one type in each place: an engine takes that of the first rows, and refuses, or cuts,
 * others.
 * @throws GemachError `QUERIES_UNLIKE` where a decimal would lose digits
 */
function ofOneType(seed: Projection, step: Projection): readonly [Projection, Projection] {
  const [first, next] = [fieldsOf(seed), fieldsOf(step)];
  const [ofSeed, ofStep] = [new Map<Node, Node>(), new Map<Node, Node>()];
  for (const [name, a] of first) {
    const b = next.get(name) as Node;
    const [had = 0, made = 0] = [typeOf(a).type.scale, typeOf(b).type.scale];
    const digits = (scale: number) => `a decimal with ${scale} digits after the point`;
    if (made > had)
      throw new GemachError("QUERIES_UNLIKE", { call: "recursive", name, expected: digits(had), got: digits(made) });
    const type = commonType(a, b);
    if (type === undefined) continue;
    ofSeed.set(a, cast(a, type));
    ofStep.set(b, cast(b, type));
  }
  return [replaced(seed, ofSeed), replaced(step, ofStep)];
}

/** Options of a recursive query, for rows that were found before. */
export interface RecursiveOptions {
  /**
   * Whether a row that is equal to one that was found before is kept, and gone on from: quantities that multiply, ways
   * that are counted. It ends where no row leads on, and never where rows lead in a circle. False by default.
   */
  readonly keepEqual?: boolean;
}

/**
 * Rows that lead to further rows of the same kind: those of a query, and those that `step` finds for the rows found
 * before, until it finds none (a recursive common table expression). A row that was found before is not gone on from
 * again, unless `keepEqual` says so. Decimals keep the digits after the point that the first rows have: `asNumeric`
 * gives them more.
 * @throws GemachError `QUERIES_UNLIKE`
 */
export function recursive<S>(
  name: string,
  seed: Selecting<S>,
  step: (found: Derived<S>) => Query<Selected<S>>,
  { keepEqual = false }: RecursiveOptions = {},
): Derived<S> {
  const state = filled(stateOf(seed, "recursive"));
  const projection = projectionOfQuery(state);
  const seedState: QueryState = { ...state, projection };
  const derivation: Derivation = { kind: "recursive", name, isAll: keepEqual, seed: seedState, step: state };
  const entity = derivedEntity(name, [projection], derivation);
  const others = alike(projection, filled(stateOf(step(queryOf(entity) as Derived<S>), "recursive")), "recursive");
  const [first, next] = ofOneType(projection, projectionOfQuery(others));
  // What goes on from the rows has to know them, and they are known by what goes on.
  Object.assign(derivation, { seed: { ...state, projection: first }, step: { ...others, projection: next } });
  return queryOf(entity) as Derived<S>;
}
