import { type ExplainRules, over, type PlanOperation, type PlanStep, step } from "../../explain/execution-plan.js";

/** An object of MariaDB's plan as JSON. */
interface Part {
  readonly [name: string]: unknown;
}

/** What the parts that are no tables do, by their names (MariaDB 10.6 to 11). */
const operations: Readonly<Record<string, PlanOperation>> = {
  filesort: "sort",
  temporary_table: "derived",
  materialized: "derived",
  subqueries: "subquery",
  union_result: "set",
  recursive_union: "set",
  window_functions_computation: "window",
  duplicates_removal: "distinct",
};

/** Parts that only hold others. */
const plain: ReadonlySet<string> = new Set([
  "query_block",
  "nested_loop",
  "query_specifications",
  "block-nl-join",
  "expression_cache",
  "read_sorted_file",
  "query_optimization",
  "attached_subqueries",
  "sorts",
]);

const number = (value: unknown): number | undefined => (typeof value === "number" ? value : undefined);
const words = (value: unknown): string | undefined => (typeof value === "string" ? value : undefined);
const isPart = (value: unknown): value is Part => typeof value === "object" && value !== null;

/** The time that a part tells of itself. */
const timeOf = (part: Part): number | undefined => {
  const times = [part.r_total_time_ms, part.r_table_time_ms, part.r_other_time_ms].map(number);
  const known = times.filter((time) => time !== undefined);
  return known.length === 0 ? undefined : Math.round(known.reduce((sum, time) => sum + time, 0) * 1000) / 1000;
};

const accesses: Readonly<Record<string, PlanOperation>> = { ALL: "table scan", index: "index scan" };

function tableStep(table: Part): PlanStep {
  const access = words(table.access_type) ?? "";
  const loops = number(table.r_loops);
  const each = number(table.r_rows);
  const name = words(table.table_name) ?? "";
  const isTable = !name.startsWith("<");
  if (name === "") return step("other", "row", partsIn(table));
  return step(
    table.update === 1 || table.delete === 1 ? "write" : isTable ? (accesses[access] ?? "seek") : "derived",
    [access === "" ? "table" : access, isTable ? undefined : name].filter((text) => text !== undefined).join(" "),
    partsIn(table),
    {
      alias: isTable ? name : undefined,
      index: words(table.key),
      condition: words(table.attached_condition) ?? words(table.index_condition),
      expectedRows: number(table.rows),
      rows: loops === undefined || each === undefined ? undefined : Math.round(loops * each),
      loops,
      milliseconds: timeOf(table),
    },
  );
}

/** The steps that a part is made of. */
function partsIn(part: unknown): readonly PlanStep[] {
  if (Array.isArray(part)) return part.flatMap(partsIn);
  if (!isPart(part)) return [];
  return Object.entries(part).flatMap(([name, inner]): readonly PlanStep[] => {
    if (!isPart(inner)) return [];
    if (name === "table") return [tableOrFunction(inner)];
    const operation = operations[name];
    if (operation === undefined) return plain.has(name) ? partsIn(inner) : [];
    if (name === "subqueries") return Object.values(inner).map((one) => step("subquery", name, partsIn(one)));
    return [
      step(operation, name.replaceAll("_", " "), partsIn(inner), {
        condition: words(inner.sort_key),
        rows: number(inner.r_output_rows),
        loops: number(inner.r_loops),
        milliseconds: timeOf(inner),
      }),
    ];
  });
}

/** Lists that a statement brings along are tables of a function. */
function tableOrFunction(table: Part): PlanStep {
  const found = tableStep(table);
  return table.table_function === undefined ? found : { ...found, operation: "function" };
}

/** MariaDB gives its plan as JSON, and runs what is to be measured: only what reads. */
export const mariadbExplain: ExplainRules = {
  measures: true,
  ask: (statement, isMeasured) => `${isMeasured ? "analyze" : "explain"} format=json ${statement}`,
  read: (rows) => {
    const told = rows[0]?.[0];
    return over(partsIn(typeof told === "string" ? JSON.parse(told) : told));
  },
};
