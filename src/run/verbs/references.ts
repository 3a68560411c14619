import type { Scalar } from "../../columns/index.js";
import { GemachError } from "../../errors/index.js";
import {
  allOf,
  changedState,
  columnAt,
  type Node,
  type ParameterValues,
  pathTo,
  type QueryState,
  type ResolvedColumn,
  type ResolvedEntity,
  type Step,
  standingHole,
  valueNode,
} from "../../ir/index.js";
import {
  type Assigned,
  conditionNames,
  type KeyedPlan,
  restrictedBy,
  restrictedKeys,
  type WritePlan,
} from "../../plan/index.js";
import type { Steps } from "../sessions/steps.js";
import type { Context } from "./context.js";
import { countRows } from "./reading.js";

/** Rows that a write refers to: none of them may be one that its handle does not see. */
interface Reference {
  readonly step: Step;
  /** All of them, whoever has them, and those that the handle sees. */
  readonly all: QueryState;
  readonly visible: QueryState;
  /** How many there are at most, each of which is to be seen; undefined where a query says which. */
  readonly most: number | undefined;
  /** The same row by row, which decides where this one is of parts of keys that others' rows may have too. */
  readonly finer?: readonly Reference[];
}

const targetsOf = (step: Step, condition: (operands: readonly Node[]) => Node, most?: number): Reference => {
  const source = { entity: step.target };
  const path = pathTo(source);
  const where = [condition(step.pairs.map(({ to }) => columnAt(path, to)))];
  const all = { ...allOf(source), where, lifted: conditionNames(step.target, "all") };
  return { step, all, visible: changedState(all, { lifted: conditionNames(step.target, "constant") }), most };
};

function ofValues(step: Step, rows: readonly (readonly (Scalar | undefined)[])[]): readonly Reference[] {
  const known = new Map<string, readonly Scalar[]>();
  for (const row of rows)
    if (row.every((value) => value !== undefined && value !== null))
      known.set(JSON.stringify(row, asText), row as Scalar[]);
  const values = [...known.values()];
  if (values.length === 0) return [];
  const condition = (operands: readonly Node[]): Node => {
    const [operand] = operands;
    return operands.length === 1 && operand !== undefined
      ? { kind: "oneOf", operand, values: values.map(([value]) => value as Scalar) }
      : { kind: "inRows", operands, rows: values };
  };
  return [targetsOf(step, condition, values.length)];
}

const asText = (_: string, value: unknown): unknown => (typeof value === "bigint" ? `${value}n` : value);

/** What rows are given for a key: values that are known, or what a query of the rows tells. */
function ofAssigned(step: Step, set: readonly Assigned[], rows: QueryState, call: string): readonly Reference[] {
  const given = step.pairs.map(({ from }) => set.find(({ column }) => column === from)?.value);
  if (given.every((node) => node === undefined)) return [];
  const nodes = given.map((node, i) => node ?? columnAt(pathTo(rows.source), (step.pairs[i] as Step["pairs"][0]).from));
  if (nodes.every((node) => node.kind === "value"))
    return ofValues(step, [nodes.map((node) => (node.kind === "value" ? node.value : null))]);
  if (call === "upsert")
    throw new GemachError("STANDING_BROKEN", {
      column: `${step.source.name}.${(step.pairs[0] as Step["pairs"][0]).from.property}`,
      call,
    });
  const projection = {
    kind: "object",
    fields: nodes.map((node, i) => [`key_${i + 1}`, { kind: "value", node }] as const),
    presence: undefined,
  } as const;
  const query = changedState(rows, { projection, reach: [], orderBy: rows.limit === undefined ? [] : rows.orderBy });
  return [targetsOf(step, (operands) => ({ kind: "inQuery", operands, query }))];
}

/** The places of a key's columns among those that rows bring; undefined where they bring none of them. */
function placesOf({ pairs }: Step, columns: readonly ResolvedColumn[]): readonly number[] | undefined {
  const places = pairs.map(({ from }) => columns.indexOf(from));
  return places.every((position) => position < 0) ? undefined : places;
}

/** The row that one of a plan is to find. */
function rowFound({ entity, by }: KeyedPlan, found: readonly Scalar[]): QueryState {
  const source = { entity };
  const path = pathTo(source);
  const where = by.map(
    (column, i): Node => ({ kind: "oneOf", operand: columnAt(path, column), values: [found[i] as Scalar] }),
  );
  return { ...allOf(source), where, lifted: conditionNames(entity, "all") };
}

/** Values of a key in rows; of a key that is brought in part, the rest is what the row has. */
function ofKeyed(step: Step, plan: KeyedPlan): readonly Reference[] {
  const { columns, rows } = plan;
  const [whole] = ofRows(
    step,
    columns,
    rows.map(({ values }) => values),
  );
  if (whole === undefined || step.pairs.every(({ from }) => columns.includes(from))) return whole ? [whole] : [];
  const finer = rows.flatMap(({ values, found }) => {
    const set = columns.map((column, i): Assigned => ({ column, value: valueNode(values[i] as Scalar, column.type) }));
    return ofAssigned(step, set, rowFound(plan, found), "update");
  });
  return [{ ...whole, finer }];
}

/** Values of a key in rows; where a row brings a part of it alone, those of that part. */
function ofRows(
  step: Step,
  columns: readonly ResolvedColumn[],
  rows: readonly (readonly (Scalar | undefined)[])[],
): readonly Reference[] {
  const places = placesOf(step, columns);
  if (places === undefined) return [];
  const isWhole = places.every((position) => position >= 0);
  // Of a key that is brought in part, the part that is brought says enough: the rest is the row's own.
  const known = isWhole ? step : { ...step, pairs: step.pairs.filter((_, i) => (places[i] as number) >= 0) };
  return ofValues(
    known,
    rows.map((row) => places.filter((position) => position >= 0).map((position) => row[position])),
  );
}

function referencesIn(plan: WritePlan | KeyedPlan, step: Step): readonly Reference[] {
  switch (plan.kind) {
    case "insert":
      return plan.portions.flatMap(({ columns, chunks, conflict }) => [
        ...ofRows(step, columns, chunks.flat()),
        ...(conflict === undefined ? [] : ofConflict(step, conflict.set, conflict.old.entity)),
      ]);
    case "insertFrom":
      return ofAssigned(step, plan.set, plan.query, "insertFrom");
    case "update":
      return ofAssigned(step, plan.set, plan.query, "update");
    case "keyed":
      return plan.verb === "delete" ? [] : ofKeyed(step, plan);
    default:
      return [];
  }
}

/**
 * What an upsert gives a row that is there: what the new row brings was looked at with it, what the row had is its own.
 */
function ofConflict(step: Step, set: readonly Assigned[], entity: ResolvedEntity): readonly Reference[] {
  const own = set.filter(({ value }) => value.kind !== "column" && !isHeldCase(value));
  return ofAssigned(step, own, allOf({ entity }), "upsert");
}

/** A value that is given where the row that is there is the handle's own: of a column, or one that was looked at. */
const isHeldCase = (node: Node): boolean =>
  node.kind === "case" &&
  [...node.branches.map(({ value }) => value), node.otherwise].every((one) => one?.kind === "column");

/**
 * The rows that a write refers to by its keys, of which a handle sees its own alone; none where the handle gives
 * nothing by which they are visible.
 */
function referencesOf(plan: WritePlan | KeyedPlan, values: ParameterValues | undefined): readonly Reference[] {
  if (values === undefined) return [];
  const entity = "entity" in plan ? plan.entity : plan.query.source.entity;
  // Whoever lifts a condition speaks of all rows.
  const lifted = "query" in plan ? plan.query.lifted : [];
  return restrictedKeys(entity)
    .filter(({ target }) => !conditionNames(target, "all").some((name) => lifted.includes(name)))
    .filter(({ target }) => [...restrictedBy(target)].every((name) => values.has(standingHole(name))))
    .flatMap((step) => referencesIn(plan, step));
}

/** Looks whether rows that are referred to are seen. */
export type HiddenCheck = () => Steps<void>;

/**
 * Looks whether the rows that writes refer to are all seen by their handle; undefined where they refer to none of which
 * it sees its own alone. A foreign key says that a row is there, not whose it is.
 * @throws GemachError `REFERENCE_HIDDEN`
 */
export function hiddenCheck(context: Context, plans: readonly (WritePlan | KeyedPlan)[]): HiddenCheck | undefined {
  const references = plans.flatMap((plan) => referencesOf(plan, context.values));
  if (references.length === 0) return undefined;
  return function* () {
    for (const reference of references) yield* check(context, reference);
  };
}

function* check(context: Context, { step, all, visible, most, finer }: Reference): Steps<void> {
  const seen = yield* countRows(context, visible);
  if (seen === most) return;
  if ((yield* countRows(context, all)) === seen) return;
  if (finer !== undefined) {
    for (const one of finer) yield* check(context, one);
    return;
  }
  const { source, target, pairs } = step;
  throw new GemachError("REFERENCE_HIDDEN", {
    entity: source.name,
    columns: pairs.map(({ from }) => from.property),
    target: target.name,
  });
}
