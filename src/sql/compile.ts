import type { FedStatement, StatementPlan } from "../plan/index.js";
import type { Dialect } from "./dialect.js";
import { print } from "./print.js";
import { translate } from "./translate.js";
import type { Parameter } from "./tree.js";
/** A statement ready to be sent, with the statements that its rows feed. */
export interface CompiledStatement {
  readonly plan: StatementPlan;
  readonly text: string;
  readonly parameters: readonly Parameter[];
  readonly fed: ReadonlyMap<FedStatement, CompiledStatement>;
}

/** Every statement that the rows of a statement feed, be they its own or joined ones. */
const fedBy = (rows: StatementPlan["rows"]): readonly FedStatement[] => [
  ...rows.fed,
  ...[...rows.joined, ...rows.nested].flatMap((further) => fedBy(further.rows)),
];

/** Turns a plan, and all that it feeds, into text. */
export function compile(plan: StatementPlan, dialect: Dialect): CompiledStatement {
  const { text, parameters } = print(translate(plan, dialect), dialect);
  const fed = new Map(fedBy(plan.rows).map((feed) => [feed, compile(feed.statement, dialect)]));
  return { plan, text, parameters, fed };
}
