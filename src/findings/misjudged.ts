import { type PlanStep, stepsIn } from "../sql/index.js";
import { type Finder, many, placeOf } from "./finding.js";

/** Estimates that are off by fewer rows do no harm. */
const leastRows = 1000;

/** What a step was expected to give, and gave, in all. */
const told = ({ expectedRows, rows, loops = 1 }: PlanStep): { readonly expected: number; readonly met: number } =>
  expectedRows === undefined || rows === undefined
    ? { expected: 0, met: 0 }
    : { expected: expectedRows * loops, met: rows };

/** The database expected far fewer, or far more, rows than there are, and so may have chosen a bad way. */
export const findMisjudged: Finder = ({ statements, thresholds: { misjudged } }) =>
  statements.flatMap((statement) => {
    if (statement.plan === undefined) return [];
    const off = [...stepsIn(statement.plan)].filter((step) => {
      const { expected, met } = told(step);
      const factor = (Math.max(expected, met) + 1) / (Math.min(expected, met) + 1);
      return step.alias !== undefined && Math.abs(expected - met) >= leastRows && factor >= misjudged;
    });
    return off.slice(0, 1).map((step) => {
      const { expected, met } = told(step);
      return {
        kind: "misjudged",
        severity: "note" as const,
        evidence: `The database expected ${many(expected)} rows of ${step.entity ?? step.alias}${placeOf(statement.origin.at)} and met ${many(met)} (${step.text}).`,
        remedy: `Renew its statistics: analyze ${step.table ?? step.alias}; of columns that depend on each other, the database may keep statistics together (create statistics, histograms).`,
        at: statement.origin.at,
        statements: [statement],
      };
    });
  });
