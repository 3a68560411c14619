import type { Query, ResolvedEntity } from "../../ir/index.js";
import {
  type ColumnsOf,
  type Definitions,
  type Entity,
  type EntityName,
  entityIn,
  type NewRow,
  type OwnRow,
} from "../../model/index.js";
import {
  type ConflictSet,
  type GivenRow,
  planDelete,
  planInsert,
  planInsertFrom,
  planRestore,
  planUpdate,
  type ReturningOption,
  rowList,
  type WritePlan,
  withGiven,
} from "../../plan/index.js";
import {
  type EntityChanges,
  type EntityQuery,
  type QueryOfRows,
  type Reference,
  type Selection,
  stateOf,
  type UpsertOptions,
} from "../../query/index.js";
import { writesSecrets } from "../explain/secrets.js";
import { writeStatements } from "../write/write.js";
import { type DialectOption, dialectIn, handleValues, type PreviewedStatement } from "./preview.js";

/** Further options of a write that is previewed. */
export interface PreviewWriteOptions<D extends Definitions<D>, E extends keyof D> extends DialectOption {
  readonly returning?: true | ((row: OwnRow<ColumnsOf<D, E>>) => Selection);
}

function statementsOf(
  plan: WritePlan,
  options: DialectOption,
  purpose: string,
  query?: Query,
): readonly PreviewedStatement[] {
  const entity = "entity" in plan ? plan.entity : plan.query.source.entity;
  const own = query === undefined ? undefined : stateOf(query, "preview").given?.values;
  const given = new Map([...(own ?? []), ...(options[handleValues] ?? [])]);
  return writeStatements(plan, options.dialect, given, false).map(({ text, parameters }) => ({
    purpose,
    reaches: [],
    text,
    parameters: writesSecrets(entity, text) ? parameters.map(() => "(secret)") : parameters,
  }));
}

/** New rows with what the handle would give them. */
const rowsFor = (entity: ResolvedEntity, rows: unknown, call: string, options: DialectOption): readonly GivenRow[] =>
  withGiven(entity, rowList<GivenRow>(rows, entity, call), options[handleValues], call);

/** Previews of each verb that writes; parameters are as they go over the wire. */
export const writingPreviews = {
  /** Previews `insert`. */
  insert: <D extends Definitions<D>, E extends EntityName<D>>(
    entity: Entity<D, E>,
    rows: readonly NewRow<D, E>[],
    options: PreviewWriteOptions<D, E>,
  ): readonly PreviewedStatement[] => {
    const { writes } = dialectIn(options, "preview.insert");
    const resolved = entityIn(entity, "preview.insert");
    const plan = planInsert(resolved, rowsFor(resolved, rows, "preview.insert", options), {
      returning: options.returning as ReturningOption,
      rules: writes.portions,
    });
    return statementsOf(plan, options, `new rows of ${resolved.name}`);
  },
  /** Previews `upsert`. */
  upsert: <D extends Definitions<D>, E extends EntityName<D>>(
    entity: Entity<D, E>,
    rows: readonly NewRow<D, E>[],
    options: PreviewWriteOptions<D, E> & UpsertOptions<D, E>,
  ): readonly PreviewedStatement[] => {
    const { writes } = dialectIn(options, "preview.upsert");
    const resolved = entityIn(entity, "preview.upsert");
    const { by, set = "given" } = options;
    const plan = planInsert(resolved, rowsFor(resolved, rows, "preview.upsert", options), {
      returning: options.returning as ReturningOption,
      conflict: { by, set: set as ConflictSet },
      rules: writes.portions,
    });
    return statementsOf(plan, options, `new or changed rows of ${resolved.name}`);
  },
  /** Previews `insertFrom`. */
  insertFrom: <D extends Definitions<D>, E extends EntityName<D>>(
    entity: Entity<D, E>,
    query: QueryOfRows<D, E>,
    options: DialectOption,
  ): readonly PreviewedStatement[] => {
    dialectIn(options, "preview.insertFrom");
    const resolved = entityIn(entity, "preview.insertFrom");
    const plan = planInsertFrom(resolved, stateOf(query, "preview.insertFrom"));
    return statementsOf(plan, options, `new rows of ${resolved.name}`, query);
  },
  /** Previews `update`. */
  update: <D extends Definitions<D>, E extends EntityName<D>>(
    query: EntityQuery<D, E, unknown>,
    changes: EntityChanges<D, E> | NoInfer<(row: Reference<D, E>) => EntityChanges<D, E>>,
    options: PreviewWriteOptions<D, E> & { readonly all?: boolean },
  ): readonly PreviewedStatement[] => {
    dialectIn(options, "preview.update");
    const state = stateOf(query, "preview.update");
    const { all = false, returning } = options;
    const plan = planUpdate(state, changes, { all, returning: returning as ReturningOption });
    return statementsOf(plan, options, `changed rows of ${state.source.entity.name}`, query);
  },
  /** Previews `delete`. */
  delete: <D extends Definitions<D>, E extends EntityName<D>>(
    query: EntityQuery<D, E, unknown>,
    options: PreviewWriteOptions<D, E> & { readonly all?: boolean },
  ): readonly PreviewedStatement[] => {
    dialectIn(options, "preview.delete");
    const state = stateOf(query, "preview.delete");
    const { all = false, returning } = options;
    const plan = planDelete(state, { all, returning: returning as ReturningOption, isForGood: false });
    const done = plan.kind === "update" ? "changed" : "deleted";
    return statementsOf(plan, options, `${done} rows of ${state.source.entity.name}`, query);
  },
  /** Previews `deleteForGood`. */
  deleteForGood: <D extends Definitions<D>, E extends EntityName<D>>(
    query: EntityQuery<D, E, unknown>,
    options: PreviewWriteOptions<D, E> & { readonly all?: boolean },
  ): readonly PreviewedStatement[] => {
    dialectIn(options, "preview.deleteForGood");
    const state = stateOf(query, "preview.deleteForGood");
    const { all = false, returning } = options;
    const plan = planDelete(state, { all, returning: returning as ReturningOption, isForGood: true });
    return statementsOf(plan, options, `deleted rows of ${state.source.entity.name}`, query);
  },
  /** Previews `restore`. */
  restore: <D extends Definitions<D>, E extends EntityName<D>>(
    query: EntityQuery<D, E, unknown>,
    options: PreviewWriteOptions<D, E> & { readonly all?: boolean },
  ): readonly PreviewedStatement[] => {
    dialectIn(options, "preview.restore");
    const state = stateOf(query, "preview.restore");
    const { all = false, returning } = options;
    const plan = planRestore(state, { all, returning: returning as ReturningOption });
    return statementsOf(plan, options, `changed rows of ${state.source.entity.name}`, query);
  },
};
