import { GemachError } from "../../errors/index.js";
import {
  allOf,
  changedState,
  columnAt,
  entitiesAround,
  type Node,
  pathTo,
  type QueryState,
  type ResolvedColumn,
  type ResolvedEntity,
  type Step,
} from "../../ir/index.js";
import type { KeyedPlan, WritePlan } from "../../plan/index.js";
import { sendOwn } from "../sessions/own-statement.js";
import type { Context } from "./context.js";
import { countRows } from "./reading.js";

/** A plan that was being written. */
export type Written = WritePlan | KeyedPlan;

/** What a broken constraint of keys is told by. */
export type Violation = GemachError<"UNIQUE_VIOLATED"> | GemachError<"FOREIGN_KEY_VIOLATED">;

const entityOf = (plan: Written): ResolvedEntity => ("entity" in plan ? plan.entity : plan.query.source.entity);

/** The foreign keys that stand in an entity itself, each once. */
const keysIn = ({ relations }: ResolvedEntity): readonly Step[] => {
  const found = new Map<string, Step>();
  for (const { steps } of relations.values())
    if (steps.length === 1 && steps[0].holder === "source")
      found.set(steps[0].pairs.map(({ from }) => from.property).join("\u0000"), steps[0]);
  return [...found.values()];
};

/** The foreign keys of others that lead to rows of an entity, as far as its relations tell. */
const keysTo = (entity: ResolvedEntity): readonly { readonly holder: ResolvedEntity; readonly step: Step }[] =>
  entitiesAround([entity]).flatMap((holder) =>
    keysIn(holder)
      .filter(({ target }) => target === entity)
      .map((step) => ({ holder, step })),
  );

const named = (entity: ResolvedEntity, names: readonly string[]): readonly string[] | undefined => {
  const columns = names.map((name) => [...entity.columns.values()].find((column) => column.name === name)?.property);
  return columns.includes(undefined) ? undefined : (columns as string[]);
};

/** The names under which an engine, or this library, has a constraint over columns. */
const namesFor = ({ table }: ResolvedEntity, columns: readonly ResolvedColumn[], end: string): readonly string[] => {
  const names = columns.map(({ name }) => name);
  return [names.join("_"), [table, ...names].join("_"), [table, ...names, end].join("_"), names[0] as string];
};

/** The columns of a unique constraint, by its name. */
function uniqueColumns(entity: ResolvedEntity, constraint: string): readonly string[] | undefined {
  const { key, columns, indexes, table } = entity;
  const own = constraint.split(".").at(-1) as string;
  if (["PRIMARY", `${table}_pkey`].includes(own)) return key.map(({ property }) => property);
  const sets = [
    ...[...columns.values()].filter(({ isUnique }) => isUnique).map((column) => [column]),
    ...indexes.filter(({ isUnique }) => isUnique).map(({ parts }) => parts.map(({ column }) => column)),
  ];
  return sets.find((set) => namesFor(entity, set, "key").includes(own))?.map(({ property }) => property);
}

/** The columns by which a write leads to rows that are not there: asked of the database, where it does not tell. */
async function keyToNowhere(context: Context, plan: Written): Promise<readonly ResolvedColumn[] | undefined> {
  const entity = entityOf(plan);
  const written = writtenValues(plan);
  const suspects = keysIn(entity).filter(({ pairs }) => pairs.some(({ from }) => written.has(from)));
  const columnsOf = ({ pairs }: Step) => pairs.map(({ from }) => from);
  if (suspects.length === 1) return columnsOf(suspects[0] as Step);
  for (const step of suspects) {
    const [pair] = step.pairs;
    if (pair === undefined || step.pairs.length > 1) continue;
    const values = [...new Set(written.get(pair.from))].filter((value) => value !== null);
    const source = { entity: step.target };
    const operand = columnAt(pathTo(source), pair.to);
    const all = { ...allOf(source), where: [{ kind: "oneOf", operand, values } as Node] };
    const lifted = [...step.target.standing, ...step.target.through].map(({ name }) => name);
    if ((await counted(context, changedState(all, { lifted }))) < values.length) return columnsOf(step);
  }
  return undefined;
}

type Values = Map<ResolvedColumn, (string | number | bigint | boolean | null)[]>;

/** The values that a write gives columns, as far as it knows them. */
function writtenValues(plan: Written): Values {
  const values: Values = new Map();
  const note = (column: ResolvedColumn, value: unknown) =>
    values.set(column, [...(values.get(column) ?? []), (value ?? null) as null]);
  if (plan.kind === "insert")
    for (const { columns, chunks } of plan.portions)
      for (const row of chunks.flat()) for (const [i, column] of columns.entries()) note(column, row[i]);
  else if (plan.kind === "keyed")
    for (const row of plan.rows) for (const [i, column] of plan.columns.entries()) note(column, row.values[i]);
  else if (plan.kind !== "delete")
    for (const { column, value } of plan.set) note(column, value.kind === "value" ? value.value : null);
  return values;
}

/** Whose key leads to rows that were to be deleted. */
async function keyFromOthers(
  context: Context,
  plan: Written,
): Promise<{ readonly holder: ResolvedEntity; readonly columns: readonly ResolvedColumn[] } | undefined> {
  const entity = entityOf(plan);
  const others = keysTo(entity);
  const found = ({ holder, step }: (typeof others)[0]) => ({ holder, columns: step.pairs.map(({ from }) => from) });
  if (others.length === 1) return found(others[0] as (typeof others)[0]);
  const rows = rowsOf(plan);
  if (rows === undefined) return undefined;
  for (const other of others) {
    const source = { entity: other.holder };
    const [pair] = other.step.pairs;
    if (pair === undefined || other.step.pairs.length > 1) continue;
    const projection = { kind: "value", node: columnAt(pathTo(rows.source), pair.to) } as const;
    const query = changedState(rows, { projection, reach: [] });
    const where: Node = { kind: "inQuery", operands: [columnAt(pathTo(source), pair.from)], query };
    const lifted = [...other.holder.standing, ...other.holder.through].map(({ name }) => name);
    if ((await counted(context, changedState({ ...allOf(source), where: [where] }, { lifted }))) > 0)
      return found(other);
  }
  return undefined;
}

/** The rows that a deletion means, as a query. */
function rowsOf(plan: Written): QueryState | undefined {
  if (plan.kind === "delete") return plan.query;
  if (plan.kind !== "keyed") return undefined;
  const source = { entity: plan.entity };
  const operands = plan.entity.key.map((column) => columnAt(pathTo(source), column));
  const rows = plan.rows.map(({ found }) => found.slice(0, operands.length));
  return { ...allOf(source), where: [{ kind: "inRows", operands, rows }] };
}

const counted = async (context: Context, state: QueryState): Promise<number> =>
  await context.sender.run(() => countRows(context, state), "no", {
    verb: "violation",
    query: undefined,
    at: undefined,
  });

const isDeletion = (plan: Written): boolean =>
  plan.kind === "delete" || (plan.kind === "keyed" && plan.verb === "delete");

/** The columns of a unique constraint, asked of the database where its name tells nothing. */
async function askedColumns(
  { sender, compiler }: Context,
  entity: ResolvedEntity,
  constraint: string,
): Promise<readonly string[] | undefined> {
  const ask = compiler.runtime.dialect.catalogue.uniqueColumns;
  if (ask === undefined) return undefined;
  const rows = await sendOwn(sender, ask(entity.table, constraint.split(".").at(-1) as string), "constraint");
  return rows.length === 0
    ? undefined
    : named(
        entity,
        rows.map(([name]) => String(name)),
      );
}

/**
 * Names the entity and the columns of a violation, alike on every engine, as far as that can be found.
 */
export async function detailed(context: Context, plan: Written, error: Violation): Promise<unknown> {
  const { names } = error;
  const { table, constraint, columns: told } = names;
  const own = entityOf(plan);
  const entity =
    [own, ...entitiesAround([own])].find((one) => one.table === table) ?? (table === undefined ? own : undefined);
  let found: { readonly entity: ResolvedEntity; readonly columns: readonly string[] } | undefined;
  const columns = entity === undefined || told === undefined ? undefined : named(entity, told);
  if (entity !== undefined && columns !== undefined) found = { entity, columns };
  else if (error.code === "UNIQUE_VIOLATED" && constraint !== undefined && entity !== undefined) {
    const known = uniqueColumns(entity, constraint) ?? (await askedColumns(context, entity, constraint));
    if (known !== undefined) found = { entity, columns: known };
  } else if (error.code === "FOREIGN_KEY_VIOLATED" && entity !== undefined) {
    const steps =
      constraint === undefined
        ? []
        : keysIn(entity).filter(({ pairs }) =>
            namesFor(
              entity,
              pairs.map(({ from }) => from),
              "fkey",
            ).includes(constraint),
          );
    const toOwn = entity === own && !isDeletion(plan) ? [] : keysIn(entity).filter(({ target }) => target === own);
    const [step, ...more] = steps.length > 0 ? steps : toOwn;
    if (step !== undefined && more.length === 0)
      found = { entity, columns: step.pairs.map(({ from }) => from.property) };
    else if (constraint === undefined && !isDeletion(plan)) {
      const held = await keyToNowhere(context, plan);
      if (held !== undefined) found = { entity, columns: held.map(({ property }) => property) };
    } else if (constraint === undefined) {
      const other = await keyFromOthers(context, plan);
      if (other !== undefined) found = { entity: other.holder, columns: other.columns.map(({ property }) => property) };
    }
  }
  if (found === undefined) return error;
  const all = { ...names, entity: found.entity.name, table: found.entity.table, columns: found.columns };
  return new GemachError(error.code, all, { cause: error.cause, serverCode: error.serverCode });
}
