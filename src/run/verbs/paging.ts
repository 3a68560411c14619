import type { Scalar } from "../../columns/index.js";
import type { Given, QueryState } from "../../ir/index.js";
import { cursorValues, few, lateLimits, placeIn, planPage, planPortion, totalOrder } from "../../plan/index.js";
import type { CompiledStatement } from "../../sql/index.js";
import type { Compiler } from "../cache/compiler.js";

/** A statement, and what is given for its parameters. */
export interface GivenStatement {
  readonly statement: CompiledStatement;
  readonly given: Given;
}

/** What is given for a query's own parameters, and for those of its statement. */
const givenFor = (state: QueryState, ...further: (readonly [string, Scalar])[]): Given =>
  new Map([...(state.given?.values ?? []), ...further]);

/** What a statement of so many rows is kept under: of any number, but where it says the number. */
function useOf(what: string, limit: number, { settings }: Compiler): string {
  if (settings.isLimitSaid === true) return `${what} ${limit}`;
  return limit > few ? `large ${what}` : what;
}

/** The statement of one page: the same for all pages of a query. */
export function pageStatement(compiler: Compiler, state: QueryState, limit: number, offset: number): GivenStatement {
  const statement = compiler.compile(state, useOf("page", limit, compiler), planPage(limit));
  return { statement, given: givenFor(state, [lateLimits.limit.hole, limit], [lateLimits.offset.hole, offset]) };
}

/**
 * The statement of a portion: the same for all portions of a query, whose cursors differ in nothing but their values.
 * @throws GemachError `CURSOR_UNFIT`
 */
export function portionStatement(compiler: Compiler, state: QueryState, limit: number): GivenStatement {
  const size = useOf("portion", limit, compiler);
  const given = givenFor(state, [lateLimits.limit.hole, limit]);
  const { cursor } = state;
  if (cursor?.base === undefined) return { statement: compiler.compile(state, size, planPortion(limit)), given };
  const values = placeIn(cursor.text, totalOrder(state));
  const places = cursorValues(values);
  const use = `${size} ${cursor.side} ${places.map((place) => (place === undefined ? "-" : "+")).join("")}`;
  // What is kept with the query without its cursor serves every cursor; that query's template is the owner of both.
  const owner = cursor.base.given?.template ?? cursor.base;
  const plan = planPortion(limit, places);
  const statement = compiler.compile(owner, use, (query, settings) => plan({ ...query, cursor }, settings));
  places.forEach((place, i) => {
    if (place !== undefined) (given as Map<string, Scalar>).set(place.hole, values[i] as Scalar);
  });
  return { statement, given };
}
