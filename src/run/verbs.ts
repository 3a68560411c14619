import { GemachError } from "../errors/index.js";
import type { Query, ResolvedEntity } from "../expression/index.js";
import {
  type ColumnsOf,
  type Definitions,
  type Entity,
  type EntityName,
  isEntity,
  type NewRow,
  type OwnRow,
  type PlainRow,
  resolve,
} from "../model/index.js";
import { type EntityQuery, type RawCommand, rawIn, type Selected, type Selection, stateOf } from "../query/index.js";
import type { ConflictSet, GivenRow } from "../sql/index.js";
import { rawCount } from "./raw.js";
import { Reads } from "./reads.js";
import { rowList } from "./row-list.js";
import type { Runner } from "./runner.js";
import { deleteSteps, insertFromSteps, insertSteps, type ReturningWish, updateSteps } from "./write.js";
import type { ChangesOf, UpsertOptions } from "./write-types.js";

/** The verbs that write, beside those that read. */
export class Verbs extends Reads {
  readonly #runner: Runner;

  /** @internal */
  constructor(runner: Runner) {
    super(runner);
    this.#runner = runner;
  }

  /**
   * Inserts rows, all or none. With `returning` it gives the rows as the database has them, defaults and
   * identities included: whole ones, or what a function names of each.
   * @returns how many, or the rows.
   */
  async insert<D extends Definitions, E extends EntityName<D>>(
    entity: Entity<D, E>,
    rows: readonly NewRow<D, E>[],
  ): Promise<number>;
  async insert<D extends Definitions, E extends EntityName<D>>(
    entity: Entity<D, E>,
    rows: readonly NewRow<D, E>[],
    options: { readonly returning: true },
  ): Promise<PlainRow<D, E>[]>;
  async insert<D extends Definitions, E extends EntityName<D>, const S extends Selection>(
    entity: Entity<D, E>,
    rows: readonly NewRow<D, E>[],
    options: { readonly returning: (row: OwnRow<ColumnsOf<D, E>>) => S },
  ): Promise<Selected<S>[]>;
  async insert(given: unknown, rows: readonly unknown[], options: { returning?: unknown } = {}): Promise<unknown> {
    const entity = entityIn(given, "insert");
    const wish = options.returning as ReturningWish;
    const { steps, statements } = insertSteps(
      entity,
      rowList<GivenRow>(rows, entity, "insert"),
      wish,
      this.#runner.runtime,
    );
    return await this.#runner.run(steps, statements > 1 ? "always" : "no");
  }

  /**
   * Inserts rows, or changes those that are there already, all or none.
   * @returns how many rows were given, or the rows as they are now.
   */
  async upsert<D extends Definitions, E extends EntityName<D>>(
    entity: Entity<D, E>,
    rows: readonly NewRow<D, E>[],
    options?: UpsertOptions<D, E>,
  ): Promise<number>;
  async upsert<D extends Definitions, E extends EntityName<D>>(
    entity: Entity<D, E>,
    rows: readonly NewRow<D, E>[],
    options: UpsertOptions<D, E> & { readonly returning: true },
  ): Promise<PlainRow<D, E>[]>;
  async upsert<D extends Definitions, E extends EntityName<D>, const S extends Selection>(
    entity: Entity<D, E>,
    rows: readonly NewRow<D, E>[],
    options: UpsertOptions<D, E> & { readonly returning: (row: OwnRow<ColumnsOf<D, E>>) => S },
  ): Promise<Selected<S>[]>;
  async upsert(to: unknown, rows: readonly unknown[], options: unknown = {}): Promise<unknown> {
    const entity = entityIn(to, "upsert");
    const {
      by,
      set = "given",
      returning,
    } = options as {
      readonly by?: readonly string[];
      readonly set?: ConflictSet;
      readonly returning?: ReturningWish;
    };
    const given = rowList<GivenRow>(rows, entity, "upsert");
    const { steps, statements } = insertSteps(entity, given, returning, this.#runner.runtime, { by, set });
    return await this.#runner.run(steps, statements > 1 ? "always" : "no");
  }

  /**
   * Inserts the rows of a query, which names the columns; no row leaves the database.
   * @returns how many.
   */
  async insertFrom<D extends Definitions, E extends EntityName<D>>(
    entity: Entity<D, E>,
    query: Query<NewRow<D, E>>,
  ): Promise<number> {
    const steps = insertFromSteps(entityIn(entity, "insertFrom"), stateOf(query, "insertFrom"), this.#runner.runtime);
    return await this.#runner.run(steps, "no");
  }

  /**
   * Changes the rows of a query by one statement: gives columns values, or expressions of the row's own
   * columns. A query without any condition is refused unless `all` is said.
   * @returns how many, or the rows as they are now (not on MariaDB, which has no such statement).
   */
  async update<D extends Definitions, E extends EntityName<D>>(
    query: EntityQuery<D, E, unknown>,
    changes: NoInfer<ChangesOf<D, E> | ((row: OwnRow<ColumnsOf<D, E>>) => ChangesOf<D, E>)>,
    options?: { readonly all?: boolean },
  ): Promise<number>;
  async update<D extends Definitions, E extends EntityName<D>>(
    query: EntityQuery<D, E, unknown>,
    changes: NoInfer<ChangesOf<D, E> | ((row: OwnRow<ColumnsOf<D, E>>) => ChangesOf<D, E>)>,
    options: { readonly all?: boolean; readonly returning: true },
  ): Promise<PlainRow<D, E>[]>;
  async update<D extends Definitions, E extends EntityName<D>, const S extends Selection>(
    query: EntityQuery<D, E, unknown>,
    changes: NoInfer<ChangesOf<D, E> | ((row: OwnRow<ColumnsOf<D, E>>) => ChangesOf<D, E>)>,
    options: { readonly all?: boolean; readonly returning: (row: OwnRow<ColumnsOf<D, E>>) => S },
  ): Promise<Selected<S>[]>;
  async update(
    query: unknown,
    changes: unknown,
    options: { all?: boolean; returning?: unknown } = {},
  ): Promise<unknown> {
    const { all = false, returning } = options;
    const state = stateOf(query, "update");
    return await this.#runner.run(
      updateSteps(state, changes, returning as ReturningWish, all, this.#runner.runtime),
      "no",
    );
  }

  /**
   * Deletes the rows of a query by one statement. A query without any condition is refused unless `all` is said.
   * @returns how many, or the rows as they were.
   */
  async delete<D extends Definitions, E extends EntityName<D>>(
    query: EntityQuery<D, E, unknown>,
    options?: { readonly all?: boolean },
  ): Promise<number>;
  async delete<D extends Definitions, E extends EntityName<D>>(
    query: EntityQuery<D, E, unknown>,
    options: { readonly all?: boolean; readonly returning: true },
  ): Promise<PlainRow<D, E>[]>;
  async delete<D extends Definitions, E extends EntityName<D>, const S extends Selection>(
    query: EntityQuery<D, E, unknown>,
    options: { readonly all?: boolean; readonly returning: (row: OwnRow<ColumnsOf<D, E>>) => S },
  ): Promise<Selected<S>[]>;
  async delete(query: unknown, options: { all?: boolean; returning?: unknown } = {}): Promise<unknown> {
    const { all = false, returning } = options;
    return await this.#runner.run(
      deleteSteps(stateOf(query, "delete"), returning as ReturningWish, all, this.#runner.runtime),
      "no",
    );
  }

  /**
   * Sends a statement of one's own that gives no rows: `sql.command`.
   * @returns how many rows it wrote.
   */
  async send(command: RawCommand): Promise<number> {
    const raw = rawIn(command);
    if (raw === undefined) throw new GemachError("QUERY_EXPECTED", { call: "send" });
    return await this.#runner.run(() => rawCount(raw, this.#runner.runtime), "no");
  }
}

function entityIn(given: unknown, call: string): ResolvedEntity {
  if (!isEntity(given)) throw new GemachError("ENTITY_EXPECTED", { call });
  return resolve(given);
}
