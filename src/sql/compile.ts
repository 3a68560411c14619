import type { ValueType } from "../columns/index.js";
import { type FollowUp, type ReachNote, type StatementPlan, typeOfOutput } from "../plan/index.js";
import type { Dialect } from "./dialects/dialect.js";
import { type Printed, print } from "./print/print.js";
import { translate } from "./translate/statement.js";
import type { Compound, Parameter, Select } from "./tree/tree.js";

/** What a statement is for, as far as its plan knows. */
export interface StatementOrigin {
  /** In words: "rows of Loan", "Loan.item by batch". */
  readonly purpose: string;
  /** The entity whose rows it reads or writes. */
  readonly entity: string | undefined;
  /** The relation whose rows it fetches, where those are not the query's own. */
  readonly relation: string | undefined;
  /** How that relation is fetched. */
  readonly strategy: ReachNote["how"] | undefined;
}

const originOf = ({ purpose, relation, source }: StatementPlan): StatementOrigin => ({
  purpose,
  entity: source.entity.name,
  relation,
  strategy: relation === undefined ? undefined : "batch",
});

/** A statement ready to be sent, with its follow-ups. */
export interface CompiledStatement {
  readonly plan: StatementPlan;
  /** What it is for. */
  readonly origin: StatementOrigin;
  readonly text: string;
  readonly parameters: readonly Parameter[];
  readonly followUps: ReadonlyMap<FollowUp, CompiledStatement>;
  /** Where all rows come as one JSON value: the types of what they have, and a text for when that is too long. */
  readonly packed: { readonly types: readonly (ValueType | undefined)[]; readonly otherwise: string } | undefined;
  /** The text with places for so many keys, where an engine lists them one by one. */
  readonly sized?: (keys: number) => Printed;
}

/** Every follow-up of a statement: of its own rows and of joined ones. */
const followUpsOf = (rows: StatementPlan["rows"]): readonly FollowUp[] => [
  ...rows.followUps,
  ...[...rows.joined, ...rows.nested].flatMap((further) => followUpsOf(further.rows)),
];

/** Texts for so many keys; of few sizes, so that there are few texts. */
function textBySize(select: Select | Compound, dialect: Dialect): (keys: number) => Printed {
  const known = new Map<number, Printed>();
  return (keys) => {
    let size = 1;
    while (size < keys) size *= 2;
    const printed = known.get(size) ?? print(select, dialect, size);
    known.set(size, printed);
    return printed;
  };
}

/** Turns a plan, and all its follow-ups, into text. */
export function compile(plan: StatementPlan, dialect: Dialect): CompiledStatement {
  const origin = originOf(plan);
  const select = translate(plan, dialect);
  const { text, parameters } = print(select, dialect);
  const followUps = new Map(followUpsOf(plan.rows).map((followUp) => [followUp, compile(followUp.statement, dialect)]));
  const packed = dialect.pack(select, plan);
  if (packed === undefined) {
    const whole = { plan, origin, text, parameters, followUps, packed: undefined };
    return parameters.some(({ kind }) => kind === "key") ? { ...whole, sized: textBySize(select, dialect) } : whole;
  }
  const whole = print(packed, dialect);
  return { plan, origin, ...whole, followUps, packed: { types: plan.outputs.map(typeOfOutput), otherwise: text } };
}
