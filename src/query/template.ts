import { type AnyColumn, type Column, type ColumnKind, checked, factsKey, type Scalar } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { type ExpressionOf, expression, type ListParameter, listParameter } from "../expression/index.js";
import type { Query } from "../ir/index.js";
import { boundQuery, stateOf } from "./query.js";

/** The parameters of a template: a column for the kind of each; a list for `oneOf`. */
export type TemplateParameters = Readonly<Record<string, AnyColumn>>;

/** in: a template's parameters; out: what its function gets for them. */
export type ParameterExpressions<P> = {
  readonly [N in keyof P]: P[N] extends Column<infer K extends ColumnKind, infer V, infer _T>
    ? K extends "list"
      ? ListParameter<V extends readonly (infer X)[] ? X : never>
      : ExpressionOf<K, V>
    : never;
};

/** in: a template's parameters; out: the values that it is run with. */
export type TemplateValues<P> = {
  readonly [N in keyof P]: P[N] extends Column<ColumnKind, infer V, infer _T> ? Readonly<V> : never;
};

/** A query that is compiled once, and run with other values each time. */
export interface Template<P, Row> {
  /**
   * The query with values for its parameters.
   * @throws GemachError `VALUE_MISSING`, `VALUE_UNFIT`, `NAME_UNKNOWN`
   */
  with(values: TemplateValues<P>): Query<Row>;
}

/** in: the type of a template; out: the values that it is run with. */
export type ValuesOf<X> = X extends Template<infer P, infer _Row> ? TemplateValues<P> : never;

/**
 * A query with parameters: `template({ id: integer }, (p) => from(Loan).where((l) => l.memberId.is(p.id)))`.
 * Each parameter has a kind, as a column has; none may be missing.
 */
export function template<const P extends TemplateParameters, Row>(
  parameters: P,
  make: (given: ParameterExpressions<P>) => Query<Row>,
): Template<P, Row> {
  const columns = Object.entries(parameters);
  const given = Object.fromEntries(
    columns.map(([name, { [factsKey]: facts }]) => {
      const { type } = facts;
      return [
        name,
        type.kind === "list" && type.element !== undefined
          ? listParameter(name, type.element)
          : expression({ kind: "hole", hole: name, type }),
      ];
    }),
  );
  const state = stateOf(make(given as ParameterExpressions<P>), "template");
  return Object.freeze({
    with: (values: TemplateValues<P>) => {
      const known = values as Readonly<Record<string, unknown>>;
      const taken = new Map<string, Scalar>();
      for (const [name, { [factsKey]: facts }] of columns) {
        const scalar = checked(known[name], facts.type, `the parameter ${name}`);
        if (scalar === null)
          throw new GemachError("VALUE_UNFIT", { column: `the parameter ${name}`, expected: "a value", got: "null" });
        taken.set(name, scalar);
      }
      for (const name in known)
        if (!taken.has(name))
          throw new GemachError("NAME_UNKNOWN", { entity: "The template", name, known: columns.map(([own]) => own) });
      return boundQuery(state, taken) as Query<Row>;
    },
  });
}
