import type { PlanStep } from "gemach";
import pc from "picocolors";
import { milliseconds, plural, width } from "./terminal.js";

/** Steps that cost more as a table grows. */
const heavy: ReadonlySet<PlanStep["operation"]> = new Set(["table scan", "built index", "sort"]);

/** What a step tells of itself, in one line. */
function stepText({
  operation,
  text,
  alias,
  entity,
  index,
  rows,
  loops,
  expectedRows,
  tableRows,
  ...step
}: PlanStep): string {
  const of =
    alias === undefined ? "" : entity === undefined || entity.toLowerCase() === alias ? alias : `${alias} (${entity})`;
  const name = heavy.has(operation) ? pc.yellow(operation) : pc.green(operation);
  const figures = [
    ...(index === undefined ? [] : [`by ${index}`]),
    ...(tableRows === undefined ? [] : [`${plural(tableRows, "row")} in the table`]),
    ...(expectedRows === undefined ? [] : [`${plural(expectedRows, "row")} expected`]),
    ...(rows === undefined ? [] : [`${plural(rows, "row")} met`]),
    ...(loops === undefined || loops === 1 ? [] : [`${plural(loops, "time")}`]),
    ...(step.milliseconds === undefined ? [] : [milliseconds(step.milliseconds)]),
  ];
  if (operation === "other") return pc.dim([text, ...figures].join(" · "));
  const said = alias === undefined ? pc.dim(text) : "";
  return [name, of, said, pc.dim(figures.join(" · "))].filter((part) => part !== "").join("  ");
}

const cut = (text: string, most: number): string => (text.length <= most ? text : `${text.slice(0, most - 1)}…`);

/** A plan as a tree. */
export function planText(plan: PlanStep, indent = ""): string {
  const lines: string[] = [];
  const draw = (step: PlanStep, first: string, others: string): void => {
    lines.push(indent + first + stepText(step));
    if (step.condition !== undefined && step.condition !== "")
      lines.push(
        `${indent}${others}${step.below.length > 0 ? "│  " : "   "}${pc.dim(cut(step.condition, width() - indent.length - others.length - 4))}`,
      );
    step.below.forEach((below, i) => {
      const isLast = i === step.below.length - 1;
      draw(below, `${others}${isLast ? "└─ " : "├─ "}`, `${others}${isLast ? "   " : "│  "}`);
    });
  };
  draw(plan, "", "");
  return lines.join("\n");
}
