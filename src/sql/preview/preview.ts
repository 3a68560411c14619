import type { Scalar } from "../../columns/index.js";
import { GemachError } from "../../errors/index.js";
import { type Query, type QueryState, qualified, type Strategy } from "../../ir/index.js";
import type { Definitions, Entity, EntityName } from "../../model/index.js";
import {
  deferredLimits,
  type PlanSettings,
  planCount,
  planExists,
  planList,
  planPage,
  planPortion,
  planReach,
  planSingle,
  type ReachNote,
  type StatementPlan,
} from "../../plan/index.js";
import { from, type ReachFaults, type ReachShape, stateOf } from "../../query/index.js";
import { type CompiledStatement, compile, detailOf } from "../compile.js";
import { type Dialect, factsOf } from "../dialects/dialect.js";
import type { Parameter } from "../tree/tree.js";

/** Where a database handle has what it gives to standing conditions, for previews with it. */
export const handleValues: unique symbol = Symbol("gemach.given");

/**
 * A dialect of a driver, as its module exports it; or a database handle, whose dialect and standing conditions count.
 */
export interface DialectOption {
  /** The dialect of the texts: `sqliteDialect` of `gemach/sqlite` and its like, or a database's own. */
  readonly dialect: Dialect;
  /** The values of a handle for standing conditions. @internal */
  readonly [handleValues]?: ReadonlyMap<string, Scalar> | undefined;
}

/** Settings of a preview. */
export interface PreviewOptions extends DialectOption {
  /** The strategy where the query and the model do not say; "auto" by default. */
  readonly how?: Strategy;
  /** Whether the tables are sure to have the foreign keys that the model says, as of a database; false by default. */
  readonly trustConstraints?: boolean;
  /** How many milliseconds a statement is on its way to the server and back, as of a database. */
  readonly roundTrip?: number;
}

/** In place of a parameter that is known only once another statement's rows are there. */
export interface PreviewedKeys {
  /** The columns whose values will be sent, for example ["Item.id"]. */
  readonly keysOf: readonly string[];
  /** The number of the statement whose rows hold them; the first is 1, and 0 are rows in memory. */
  readonly statement: number;
}

/** The value of a placeholder. */
export type PreviewedParameter = Scalar | readonly Scalar[] | PreviewedKeys | { readonly parameter: string };

/** One statement that a verb will send. */
export interface PreviewedStatement {
  /** Its purpose. */
  readonly purpose: string;
  /** The relations that it reaches: in itself, or by its follow-ups. */
  readonly reaches: readonly ReachNote[];
  readonly text: string;
  /** Where all rows come as one JSON value (SQLite, where no limit says that they are few): the select inside of it. */
  readonly select?: string;
  /** The values of its placeholders, in their order. */
  readonly parameters: readonly PreviewedParameter[];
}

/**
 * The dialect of a preview.
 * @throws GemachError `DIALECT_EXPECTED`
 */
export function dialectIn(options: DialectOption | undefined, call: string): Dialect {
  const dialect: unknown = options?.dialect;
  if (typeof dialect === "object" && dialect !== null && "rewrites" in dialect) return dialect as Dialect;
  const got = typeof dialect === "string" ? "a name" : dialect === undefined ? "none" : "something else";
  throw new GemachError("DIALECT_EXPECTED", { call: `${call}()`, got });
}

type HoleValues = ReadonlyMap<string, Scalar | readonly Scalar[]> | undefined;

function previewed(parameter: Parameter, given: HoleValues, keys: PreviewedKeys | undefined): PreviewedParameter {
  switch (parameter.kind) {
    case "value":
      return parameter.value;
    case "list":
      return parameter.values;
    case "hole":
      return given?.get(parameter.hole) ?? { parameter: parameter.hole };
    case "keys":
    case "key":
      return keys ?? [];
    case "rows": {
      const { part, rows } = parameter;
      return part === "all" ? rows : rows.map((row) => row[part] as Scalar);
    }
    default:
      return parameter satisfies never;
  }
}

/** In place of a value that may be a secret; what is known later gives nothing away. */
const hidden = (parameter: PreviewedParameter): PreviewedParameter =>
  typeof parameter === "object" && parameter !== null && ("keysOf" in parameter || "parameter" in parameter)
    ? parameter
    : "(secret)";

/** Adds a statement, and its follow-ups. */
function add(
  statements: PreviewedStatement[],
  statement: CompiledStatement,
  given: HoleValues,
  keys: PreviewedKeys | undefined,
): void {
  const known = statement.parameters.map((parameter) => previewed(parameter, given, keys));
  const isSecret = detailOf(statement.origin)?.isSecret(statement.text) === true;
  const parameters = isSecret ? known.map(hidden) : known;
  const { purpose, notes } = statement.plan;
  const inside = statement.packed === undefined ? {} : { select: statement.packed.otherwise };
  const number = statements.push({ purpose, reaches: notes, text: statement.text, ...inside, parameters });
  addFollowUps(statements, statement.followUps, given, number);
}

function addFollowUps(
  statements: PreviewedStatement[],
  followUps: CompiledStatement["followUps"],
  given: HoleValues,
  statement: number,
): void {
  for (const [followUp, others] of followUps)
    add(statements, others, given, { keysOf: followUp.keyColumns.map(qualified), statement });
}

/** The statements of plans of one query. */
function statementsOf(
  query: QueryState,
  options: PreviewOptions,
  plans: readonly ((query: QueryState, settings: PlanSettings) => StatementPlan)[],
  numbers: readonly (readonly [hole: string, value: number])[] = [],
): readonly PreviewedStatement[] {
  const { dialect, how = "auto", trustConstraints = false, roundTrip } = options;
  const statements: PreviewedStatement[] = [];
  const given = new Map([...(query.given?.values ?? []), ...(options[handleValues] ?? []), ...numbers]);
  for (const plan of plans)
    add(
      statements,
      compile(plan(query, { ...factsOf(dialect, roundTrip), strategy: how, isTrusting: trustConstraints }), dialect),
      given,
      undefined,
    );
  return statements;
}

const { limit, offset } = deferredLimits;

/**
 * The statements that `list` of a query will send, in the order in which they are sent. Needs no database and sends
 * nothing.
 */
export const previewList = (query: Query, options: PreviewOptions): readonly PreviewedStatement[] => {
  dialectIn(options, "preview");
  return statementsOf(stateOf(query, "preview"), options, [planList]);
};

/** A preview of a verb that takes a query and nothing else. */
const ofVerb =
  (verb: string, plan: (query: QueryState, settings: PlanSettings) => StatementPlan) =>
  (query: Query, options: PreviewOptions): readonly PreviewedStatement[] => {
    dialectIn(options, `preview.${verb}`);
    return statementsOf(stateOf(query, `preview.${verb}`), options, [plan]);
  };

/** Previews of each verb that reads, but for `list`. */
export const readingPreviews = {
  /** Previews `single`. */
  single: ofVerb("single", planSingle),
  /** Previews `maybe`. */
  maybe: ofVerb("maybe", planSingle),
  /** Previews `count`. */
  count: ofVerb("count", planCount),
  /** Previews `exists`. */
  exists: ofVerb("exists", planExists),
  /** Previews `page`. */
  page: (query: Query, page: { readonly size: number; readonly number?: number }, options: PreviewOptions) => {
    dialectIn(options, "preview.page");
    const { size, number = 1 } = page;
    const state = stateOf(query, "preview.page");
    return statementsOf(
      state,
      options,
      [planCount, planPage(size)],
      [
        [limit.hole, size],
        [offset.hole, (state.offset ?? 0) + (number - 1) * size],
      ],
    );
  },
  /** Previews `portion`: for one row more than wanted, to see whether there are further ones. */
  portion: (query: Query, size: number, options: PreviewOptions) => {
    dialectIn(options, "preview.portion");
    return statementsOf(stateOf(query, "preview.portion"), options, [planPortion(size + 1)], [[limit.hole, size + 1]]);
  },
  /** Previews the first chunk of `stream`. */
  stream: (query: Query, options: PreviewOptions & { readonly chunk?: number }) => {
    dialectIn(options, "preview.stream");
    const { chunk = 4000 } = options;
    return statementsOf(stateOf(query, "preview.stream"), options, [planPortion(chunk + 1)], [[limit.hole, chunk + 1]]);
  },
  /** Previews `reach` for rows in memory, be they few or many. */
  reach: <D extends Definitions<D>, E extends EntityName<D>, const S extends ReachShape<D, E>>(
    entity: Entity<D, E>,
    shape: S & NoInfer<ReachFaults<D, E, S>>,
    options: PreviewOptions,
  ): readonly PreviewedStatement[] => {
    const dialect = dialectIn(options, "preview.reach");
    const state = stateOf(from(entity).reach(shape as never), "preview.reach");
    const { rows } = planReach(state, {
      strategy: options.how ?? "auto",
      isTrusting: options.trustConstraints === true,
      ...factsOf(dialect, options.roundTrip),
    });
    const statements: PreviewedStatement[] = [];
    addFollowUps(
      statements,
      new Map(rows.followUps.map((followUp) => [followUp, compile(followUp.statement, dialect)])),
      undefined,
      0,
    );
    return statements;
  },
};
