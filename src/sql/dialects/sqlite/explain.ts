import { type ExplainRules, over, type PlanOperation, type PlanStep, step } from "../../explain/execution-plan.js";

/** What lines of SQLite's plans mean, by how they begin; its documentation (eqp.html) lists them. */
const words: readonly (readonly [RegExp, PlanOperation])[] = [
  [/^SCAN CONSTANT ROW/, "other"],
  [/VIRTUAL TABLE INDEX/, "function"],
  [/USING AUTOMATIC/, "built index"],
  [/^SCAN .* USING (COVERING )?INDEX/, "index scan"],
  [/^SCAN/, "table scan"],
  [/^SEARCH/, "seek"],
  [/^USE TEMP B-TREE FOR (LAST|RIGHT) .*ORDER BY/, "partial sort"],
  [/^USE TEMP B-TREE FOR .*ORDER BY/, "sort"],
  [/^USE TEMP B-TREE FOR GROUP BY/, "group"],
  [/^USE TEMP B-TREE FOR (DISTINCT|.*\(DISTINCT)/i, "distinct"],
  [/SUBQUERY/, "subquery"],
  [/^(MATERIALIZE|CO-ROUTINE)/, "derived"],
  [/^(COMPOUND|UNION|MERGE|EXCEPT|INTERSECT)/, "set"],
];

const accessed = /^(?:SCAN|SEARCH) (.+?)(?: EXISTS)?(?: USING .*| VIRTUAL TABLE .*| LEFT-JOIN)?$/;
const indexed = /USING (?:AUTOMATIC )?(?:PARTIAL )?(?:COVERING )?(?:INDEX (\S+)|INTEGER PRIMARY KEY|PRIMARY KEY)/;

function lineStep(detail: string, below: readonly PlanStep[]): PlanStep {
  const operation = words.find(([pattern]) => pattern.test(detail))?.[1] ?? "other";
  const alias = operation === "function" ? undefined : accessed.exec(detail)?.[1];
  const found = indexed.exec(detail);
  const index = found === null || operation === "built index" ? undefined : (found[1] ?? "the primary key");
  return step(operation, detail, below, { alias, index, condition: /\((.*)\)(?: LEFT-JOIN)?$/.exec(detail)?.[1] });
}

/**
 * SQLite lists the lines of its plan with the number of the line that each belongs to; it estimates and measures
 * nothing.
 */
export const sqliteExplain: ExplainRules = {
  measures: false,
  ask: (statement) => `explain query plan ${statement}`,
  read: (rows) => {
    const below = (parent: number): readonly PlanStep[] =>
      rows
        .filter((row) => Number(row[1]) === parent)
        .map(([id, , , detail]) => lineStep(String(detail), below(Number(id))));
    return over(below(0));
  },
};
