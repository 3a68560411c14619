import type { ValueType } from "../columns/index.js";
import { type FedStatement, type StatementPlan, typeOfOutput } from "../plan/index.js";
import type { Dialect } from "./dialect.js";
import { isPacked, packed } from "./pack.js";
import { print } from "./print.js";
import { translate } from "./translate.js";
import type { Parameter } from "./tree.js";
/** A statement ready to be sent, with the statements that its rows feed. */
export interface CompiledStatement {
  readonly plan: StatementPlan;
  readonly text: string;
  readonly parameters: readonly Parameter[];
  readonly fed: ReadonlyMap<FedStatement, CompiledStatement>;
  /** Where all rows come as one JSON value: the types of what they have, and a text for when that is too long. */
  readonly packed: { readonly types: readonly (ValueType | undefined)[]; readonly otherwise: string } | undefined;
}

/** Every statement that the rows of a statement feed, be they its own or joined ones. */
const fedBy = (rows: StatementPlan["rows"]): readonly FedStatement[] => [
  ...rows.fed,
  ...[...rows.joined, ...rows.nested].flatMap((further) => fedBy(further.rows)),
];

/** Turns a plan, and all that it feeds, into text. */
export function compile(plan: StatementPlan, dialect: Dialect): CompiledStatement {
  const select = translate(plan, dialect);
  const { text, parameters } = print(select, dialect);
  const fed = new Map(fedBy(plan.rows).map((feed) => [feed, compile(feed.statement, dialect)]));
  if (!isPacked(plan, dialect) || "operator" in select) return { plan, text, parameters, fed, packed: undefined };
  const whole = print(packed(select, plan), dialect);
  return { plan, ...whole, fed, packed: { types: plan.outputs.map(typeOfOutput), otherwise: text } };
}
