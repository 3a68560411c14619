import type { ValueType } from "../columns/index.js";
import type { ResolvedEntity } from "../ir/index.js";
import { type FollowUp, type ReachNote, type StatementPlan, typeOfOutput } from "../plan/index.js";
import type { Dialect } from "./dialects/dialect.js";
import type { Operation } from "./explain/operation.js";
import { givesSecrets, writesSecrets } from "./explain/secrets.js";
import { type TableUse, usesOf } from "./explain/table-use.js";
import { type Printed, print } from "./print/print.js";
import { translate } from "./statement/statement.js";
import type { Compound, Parameter, Select } from "./tree/tree.js";

/** The purpose of a statement, as its plan knows it. */
export interface StatementOrigin {
  /** In words: "rows of Loan", "Loan.item by batch". */
  readonly purpose: string;
  /** Its operation on rows. */
  readonly operation: Operation;
  /** The entity whose rows it reads or writes. */
  readonly entity: string | undefined;
  /** The relation whose rows it fetches, where those are not the query's own. */
  readonly relation: string | undefined;
  /** How that relation is fetched. */
  readonly strategy: ReachNote["how"] | undefined;
  /** @internal */
  readonly [detailKey]?: StatementDetail;
}

/** What else is known of a statement: no part of what is shown or written down. */
export interface StatementDetail {
  /** What it asks of its tables; worked out when somebody asks. */
  readonly uses: () => readonly TableUse[];
  /** Whether its values may be somebody's secrets; worked out when somebody asks. */
  readonly isSecret: (text: string) => boolean;
}

/** Where an origin keeps it. @internal */
export const detailKey: unique symbol = Symbol("gemach.detail");

/** What else is known of a statement of the library's own. */
export const detailOf = (origin: StatementOrigin): StatementDetail | undefined => origin[detailKey];

const originOf = ({ purpose, relation, source }: StatementPlan, select: Select | Compound): StatementOrigin => ({
  purpose,
  operation: "select",
  entity: source.entity.name,
  relation,
  strategy: relation === undefined ? undefined : "batch",
  [detailKey]: detailIn(select),
});

/** What is known of a statement that writes rows of an entity; `find`: what finds those that are there already. */
export const writeDetail = (entity: ResolvedEntity, find?: () => Select | Compound): StatementDetail => ({
  uses: () => (find === undefined ? [] : usesOf(find())),
  isSecret: (text) => writesSecrets(entity, text),
});

function detailIn(select: Select | Compound): StatementDetail {
  let isSecret: boolean | undefined;
  return {
    uses: () => usesOf(select),
    isSecret: () => {
      isSecret ??= givesSecrets(select);
      return isSecret;
    },
  };
}

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
  readonly sized?: ((keys: number) => Printed) | undefined;
}

/** Every follow-up of a statement: of its own rows and of joined ones. */
const followUpsOf = (rows: StatementPlan["rows"]): readonly FollowUp[] => [
  ...rows.followUps,
  ...[...rows.joined, ...rows.nested].flatMap((others) => followUpsOf(others.rows)),
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
  const select = translate(plan, dialect);
  const origin = originOf(plan, select);
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
