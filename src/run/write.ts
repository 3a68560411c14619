import type { Given } from "../expression/index.js";
import type { WritePlan } from "../plan/index.js";
import { type StatementOrigin, writeStatements } from "../sql/index.js";
import type { WireRows } from "./driver.js";
import { gather, type Runtime } from "./gather.js";
import type { Steps } from "./steps.js";

/** A write's result: how many rows, or what was to be returned of each. */
export type Written = number | unknown[];

const words: Readonly<Record<WritePlan["kind"], string>> = {
  insert: "new rows of",
  insertFrom: "new rows of",
  update: "changed rows of",
  delete: "deleted rows of",
};

function originOf(plan: WritePlan): StatementOrigin {
  const { name } = "entity" in plan ? plan.entity : plan.query.source.entity;
  return { purpose: `${words[plan.kind]} ${name}`, entity: name, relation: undefined, strategy: undefined };
}

/** A plan that writes as work to be done, and whether that takes several statements. */
export function writing(
  plan: WritePlan,
  runtime: Runtime,
  given: Given | undefined,
): { readonly steps: () => Steps<Written>; readonly isSeveral: boolean } {
  const origin = originOf(plan);
  const statements = writeStatements(plan, runtime.dialect, given);
  const returning = plan.kind === "insertFrom" ? undefined : plan.returning;
  const steps = function* (): Steps<Written> {
    const wires: WireRows[number][] = [];
    let count = 0;
    for (const { text, parameters, isBeside } of statements) {
      const answer = yield { text, parameters, origin, ...(returning === undefined ? { counts: true } : {}) };
      if (isBeside === true) continue;
      if (returning === undefined) count += Number(answer[0]?.[0] ?? 0);
      else for (const row of answer) wires.push(row);
    }
    if (returning === undefined) return plan.kind === "insert" ? plan.count : count;
    return [...gather(returning.rows, wires, runtime).objects];
  };
  return { steps, isSeveral: statements.length > 1 };
}
