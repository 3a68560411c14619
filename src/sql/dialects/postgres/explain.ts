import { type ExplainRules, over, type PlanOperation, type PlanStep, step } from "../../explain/execution-plan.js";

/** A node of PostgreSQL's plan as JSON. */
interface Node {
  readonly [name: string]: unknown;
  readonly Plans?: readonly Node[];
}

/** What nodes do, by their types (PostgreSQL 13 to 17). */
const operations: Readonly<Record<string, PlanOperation>> = {
  "Seq Scan": "table scan",
  "Sample Scan": "table scan",
  "Index Scan": "seek",
  "Index Only Scan": "seek",
  "Bitmap Heap Scan": "seek",
  "Bitmap Index Scan": "seek",
  "Tid Scan": "seek",
  "Nested Loop": "join",
  "Hash Join": "join",
  "Merge Join": "join",
  Sort: "sort",
  "Incremental Sort": "partial sort",
  Aggregate: "group",
  Group: "group",
  Unique: "distinct",
  Limit: "limit",
  WindowAgg: "window",
  Append: "set",
  "Merge Append": "set",
  SetOp: "set",
  "Recursive Union": "set",
  Hash: "derived",
  Materialize: "derived",
  Memoize: "derived",
  "CTE Scan": "derived",
  "Subquery Scan": "subquery",
  "Function Scan": "function",
  "Values Scan": "function",
  ModifyTable: "write",
};

const number = (value: unknown): number | undefined => (typeof value === "number" ? value : undefined);
const words = (value: unknown): string | undefined =>
  Array.isArray(value) ? value.join(", ") : typeof value === "string" ? value : undefined;

const conditions = ["Index Cond", "Recheck Cond", "Hash Cond", "Merge Cond", "Join Filter", "Filter", "Sort Key"];

function nodeStep(node: Node): PlanStep {
  const type = String(node["Node Type"]);
  const index = words(node["Index Name"]);
  const condition = conditions.map((name) => words(node[name])).filter((text) => text !== undefined);
  const loops = number(node["Actual Loops"]);
  const times = (value: number | undefined) =>
    value === undefined || loops === undefined ? undefined : Math.round(value * loops * 1000) / 1000;
  const isWhole = index !== undefined && type.startsWith("Index") && node["Index Cond"] === undefined;
  return step(
    isWhole ? "index scan" : (operations[type] ?? "other"),
    [type, words(node["Join Type"]), words(node["Subplan Name"])].filter((text) => text !== undefined).join(", "),
    (node.Plans ?? []).map(nodeStep),
    {
      alias: words(node.Alias),
      index,
      condition: condition.length === 0 ? undefined : condition.join(" and "),
      expectedRows: number(node["Plan Rows"]),
      rows: times(number(node["Actual Rows"])),
      loops,
      milliseconds: times(number(node["Actual Total Time"])),
    },
  );
}

/** PostgreSQL gives its plan as JSON. */
export const postgresExplain: ExplainRules = {
  measures: true,
  ask: (statement, isMeasured) => `explain (format json${isMeasured ? ", analyze" : ""}) ${statement}`,
  read: (rows) => {
    const told = rows[0]?.[0];
    const plans = (typeof told === "string" ? JSON.parse(told) : told) as readonly { readonly Plan: Node }[];
    return over(plans.map(({ Plan }) => nodeStep(Plan)));
  },
};
