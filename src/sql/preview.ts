import type { Scalar } from "../columns/index.js";
import { type Query, qualified, type Strategy } from "../expression/index.js";
import { planList, type ReachNote } from "../plan/index.js";
import { stateOf } from "../query/index.js";
import { type CompiledStatement, compile } from "./compile.js";
import type { DialectName } from "./dialect.js";
import { dialectOf } from "./dialects.js";
/** Settings of a preview. */
export interface PreviewOptions {
  /** The dialect of the texts; "sqlite" by default. */
  readonly dialect?: DialectName;
  /** The strategy where the query and the model do not say; "auto" by default. */
  readonly how?: Strategy;
}

/** In place of a parameter that is known only once another statement's rows are there. */
export interface PreviewedKeys {
  /** The columns whose values will be sent, for example ["Item.id"]. */
  readonly keysOf: readonly string[];
  /** The number of the statement whose rows hold them; the first is 1. */
  readonly statement: number;
}

/** One statement that a query will send. */
export interface PreviewedStatement {
  /** What it is for. */
  readonly purpose: string;
  /** The relations that it reaches: in itself, or by the statements that its rows feed. */
  readonly reaches: readonly ReachNote[];
  readonly text: string;
  /** Where all rows come as one JSON value (SQLite, where no limit says that they are few): the select inside of it. */
  readonly select?: string;
  /** What belongs to its placeholders, in their order. */
  readonly parameters: readonly (Scalar | readonly Scalar[] | PreviewedKeys | { readonly parameter: string })[];
}

/**
 * The statements that `list` of a query will send, in the order in which they are sent. Needs no
 * database and sends nothing. A statement is left out when it runs if there are no keys for it.
 */
export function preview(query: Query, options: PreviewOptions = {}): readonly PreviewedStatement[] {
  const dialect = dialectOf(options.dialect ?? "sqlite");
  const statements: PreviewedStatement[] = [];
  const state = stateOf(query, "preview");
  const given = state.given?.values;
  const add = (statement: CompiledStatement, keys: PreviewedKeys | undefined): void => {
    const parameters = statement.parameters.map((parameter) => {
      if (parameter.kind === "value") return parameter.value;
      if (parameter.kind === "list") return parameter.values;
      if (parameter.kind === "hole") return given?.get(parameter.hole) ?? { parameter: parameter.hole };
      if (parameter.kind === "keys") return keys ?? [];
      const { part } = parameter;
      return part === "all" ? parameter.rows : parameter.rows.map((row) => row[part] as Scalar);
    });
    const { purpose, notes } = statement.plan;
    const inside = statement.packed === undefined ? {} : { select: statement.packed.otherwise };
    const number = statements.push({ purpose, reaches: notes, text: statement.text, ...inside, parameters });
    for (const [feed, fed] of statement.fed) add(fed, { keysOf: feed.keyColumns.map(qualified), statement: number });
  };
  add(compile(planList(state, { strategy: options.how ?? "auto" }), dialect), undefined);
  return statements;
}
