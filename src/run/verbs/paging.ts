import type { Scalar } from "../../columns/index.js";
import type { ParameterValues, QueryState } from "../../ir/index.js";
import {
  cursorValues,
  deferredLimits,
  few,
  planPage,
  planPortion,
  totalOrder,
  valuesInCursor,
} from "../../plan/index.js";
import type { CompiledStatement } from "../../sql/index.js";
import type { Compiler } from "../cache/compiler.js";

/** A statement, and what is given for its parameters. */
export interface GivenStatement {
  readonly statement: CompiledStatement;
  readonly given: ParameterValues;
}

/** What is given for a query's own parameters, and for those of its statement. */
const givenFor = (state: QueryState, ...others: (readonly [string, Scalar])[]): ParameterValues =>
  new Map([...(state.given?.values ?? []), ...others]);

/** What a statement of so many rows is kept under: of any number, but where it says the number. */
function useOf(what: string, limit: number, { settings }: Compiler): string {
  if (settings.isLimitSaid === true) return `${what} ${limit}`;
  return limit > few ? `large ${what}` : what;
}

/** The statement of one page: the same for all pages of a query. */
export function pageStatement(compiler: Compiler, state: QueryState, limit: number, offset: number): GivenStatement {
  const statement = compiler.compile(state, useOf("page", limit, compiler), planPage(limit));
  return {
    statement,
    given: givenFor(state, [deferredLimits.limit.hole, limit], [deferredLimits.offset.hole, offset]),
  };
}

/**
 * The statement of a portion: the same for all portions of a query, whose cursors differ in nothing but their values.
 * @throws GemachError `CURSOR_UNFIT`
 */
export function portionStatement(compiler: Compiler, state: QueryState, limit: number): GivenStatement {
  const size = useOf("portion", limit, compiler);
  const given = givenFor(state, [deferredLimits.limit.hole, limit]);
  const { cursor } = state;
  if (cursor?.base === undefined) return { statement: compiler.compile(state, size, planPortion(limit)), given };
  const values = valuesInCursor(cursor.text, totalOrder(state));
  const places = cursorValues(values);
  const use = `${size} ${cursor.side} ${places.map((position) => (position === undefined ? "-" : "+")).join("")}`;
  // What is kept with the query without its cursor serves every cursor; that query's template is the owner of both.
  const owner = cursor.base.given?.template ?? cursor.base;
  const plan = planPortion(limit, places);
  const statement = compiler.compile(owner, use, (query, settings) => plan({ ...query, cursor }, settings));
  places.forEach((position, i) => {
    if (position !== undefined) (given as Map<string, Scalar>).set(position.hole, values[i] as Scalar);
  });
  return { statement, given };
}
