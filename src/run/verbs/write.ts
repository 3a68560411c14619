import { derivedByName } from "../../columns/index.js";
import { GemachError } from "../../errors/index.js";
import type { ParameterValues, ResolvedEntity } from "../../ir/index.js";
import type { KeyedPlan, KeyedRow, WritePlan } from "../../plan/index.js";
import {
  detailKey,
  type EncodedStatement,
  keyedStatements,
  type StatementOrigin,
  writeDetail,
  writeStatements,
} from "../../sql/index.js";
import { gather, type Runtime } from "../rows/gather.js";
import type { Request, WireRows } from "../sessions/driver.js";
import type { Steps } from "../sessions/steps.js";

/** A write's result: how many rows, or what was to be returned of each. */
export type Written = number | unknown[];

type Writes = "insert" | "update" | "delete";

const purposes: Readonly<Record<Writes, string>> = {
  insert: "new rows of",
  update: "changed rows of",
  delete: "deleted rows of",
};

function originOf(plan: WritePlan): StatementOrigin {
  const entity = "entity" in plan ? plan.entity : plan.query.source.entity;
  return originFor(plan.kind === "insertFrom" ? "insert" : plan.kind, entity);
}

const origins = derivedByName<ResolvedEntity, Writes, StatementOrigin>();

/** What a write is for: made once, since making it took a tenth of a single update. */
const originFor = (operation: Writes, entity: ResolvedEntity): StatementOrigin =>
  origins(entity, operation, () => ({
    purpose: `${purposes[operation]} ${entity.name}`,
    operation,
    entity: entity.name,
    relation: undefined,
    strategy: undefined,
    [detailKey]: writeDetail(entity),
  }));

/** Writes rows that are found by their keys; tells of each statement how many it found of how many. */
function* sendKeyed(
  plan: KeyedPlan,
  { dialect }: Pick<Runtime, "dialect">,
  found: (count: number, rows: readonly KeyedRow[]) => void,
): Steps<void> {
  const origin = originFor(plan.verb, plan.entity);
  for (const { text, parameters, rows } of keyedStatements(plan, dialect)) {
    const answer = yield { text, parameters, origin, counts: true };
    found(writtenRows(answer), rows);
  }
}

/** Writes rows that are found by their keys; returns how many were found. */
export function* countKeyed(plan: KeyedPlan, runtime: Pick<Runtime, "dialect">): Steps<number> {
  let sum = 0;
  yield* sendKeyed(plan, runtime, (count) => {
    sum += count;
  });
  return sum;
}

/** Writes rows that are found by their keys; returns the rows of the statements that did not find all of theirs. */
export function* writeKeyed(plan: KeyedPlan, runtime: Pick<Runtime, "dialect">): Steps<readonly KeyedRow[]> {
  const missed: (readonly KeyedRow[])[] = [];
  yield* sendKeyed(plan, runtime, (count, rows) => {
    if (count !== rows.length) missed.push(rows);
  });
  return missed.flat();
}

/** A row that is not as it was read. */
export function conflict(entity: ResolvedEntity, missed: readonly KeyedRow[]): GemachError {
  const [row, ...others] = missed;
  const isShown = row !== undefined && others.length === 0;
  const key = entity.key.map(({ property }, i) => `${property} ${String(row?.found[i])}`).join(", ");
  const version = [...entity.columns.values()].find(({ isVersion }) => isVersion);
  return new GemachError("CONFLICT", {
    entity: entity.name,
    key: isShown ? key : undefined,
    versions:
      isShown && version !== undefined ? `it was read at ${version.property} ${String(row.found.at(-1))}` : undefined,
  });
}

/** The one statement of a change that gives no rows. */
export const changeRequest = (plan: WritePlan, { text, parameters }: EncodedStatement): Request => ({
  text,
  parameters,
  origin: originOf(plan),
  counts: true,
});

/** A plan that writes as work to be done. */
export interface Writing {
  readonly steps: () => Steps<Written>;
  readonly isSeveral: boolean;
  /** Its one statement, for whom nothing but its answer is of interest. */
  readonly alone: Request | undefined;
  /** The result, of the answer to its one statement. */
  readonly resultOf: (answer: WireRows) => Written;
}

/** Makes the steps of a plan that writes; `isWithin`: as part of a transaction. */
export function writing(
  plan: WritePlan,
  runtime: Runtime,
  given: ParameterValues | undefined,
  isWithin: boolean,
  known?: EncodedStatement,
): Writing {
  const origin = originOf(plan);
  const statements = known === undefined ? writeStatements(plan, runtime.dialect, given, isWithin) : [known];
  const returning = plan.kind === "insertFrom" ? undefined : plan.returning;
  const requestOf = ({ text, parameters, advance }: EncodedStatement): Request =>
    returning === undefined && advance === undefined
      ? { text, parameters, origin, counts: true }
      : { text, parameters, origin };
  const steps = function* (): Steps<Written> {
    const wires: WireRows[number][] = [];
    let count = 0;
    for (const statement of statements) {
      const { advance, isBeside } = statement;
      const answer = yield requestOf(statement);
      const behind = advance === undefined ? null : (answer[0]?.[0] ?? null);
      if (advance !== undefined && behind !== null) {
        const { text, parameters } = advance(behind);
        yield { text, parameters, origin, once: true, counts: true };
      }
      if (isBeside === true) continue;
      if (returning === undefined) count += writtenRows(answer);
      else for (const row of answer) wires.push(row);
    }
    return result(wires, count);
  };
  const result = (wires: WireRows, count: number): Written => {
    if (returning !== undefined) return [...gather(returning.rows, wires, runtime).objects];
    return plan.kind === "insert" ? plan.count : count;
  };
  const [first] = statements;
  return {
    steps,
    isSeveral: statements.length > 1,
    alone: first === undefined || statements.length > 1 || first.advance !== undefined ? undefined : requestOf(first),
    resultOf: (answer) => result(answer, returning === undefined ? writtenRows(answer) : 0),
  };
}

/** How many rows a statement wrote, as it was answered. */
export const writtenRows = (answer: WireRows): number => Number(answer[0]?.[0] ?? 0);
