import type { ResolvedColumn, ResolvedEntity } from "../ir/index.js";
import { ascending, type IndexPart, indexesIn, proposedIndex } from "../model/index.js";
import { createIndexText, detailOf, type PlanStep, stepsIn, type TableUse } from "../sql/index.js";
import type { LedgerRecord, LedgerStatement } from "./record.js";

/** One table as a statement uses it, and the steps of the plan that look at its rows. */
export interface UsedTable {
  readonly use: TableUse;
  readonly steps: readonly PlanStep[];
}

/** Every table of a statement that has a plan. */
export function tablesOf(statement: LedgerStatement): readonly UsedTable[] {
  const { plan, origin } = statement;
  if (plan === undefined) return [];
  const steps = [...stepsIn(plan)];
  return (detailOf(origin)?.uses() ?? []).map((use) => ({
    use,
    steps: steps.filter(({ alias }) => alias === use.alias),
  }));
}

/** Whether a step looks at every row of a table. */
export const isScan = ({ operation }: PlanStep): boolean =>
  operation === "table scan" || operation === "index scan" || operation === "built index";

/**
 * The index that would serve a use best: what is to be equal, then an order of which the first are wanted, or else a
 * range.
 */
export function indexFor({ equal, range, order, isLimited }: TableUse): readonly IndexPart[] {
  const own = ascending(equal);
  const sorted = isLimited ? order.filter(({ column }) => !equal.includes(column)) : [];
  // A primary key at the end of an order is in every index already, or nearly so: ties are few.
  const telling = sorted.slice(0, sorted.length - sorted.toReversed().findIndex(({ column }) => !column.isKey));
  const isTelling = sorted.some(({ column }) => !column.isKey);
  // An index is read backwards as well, and has its own keys in its direction.
  const parts = telling.every(({ descending }) => descending)
    ? ascending(telling.map(({ column }) => column))
    : telling;
  if (isTelling && range.every((column) => column === telling[0]?.column)) return [...own, ...parts];
  return [...own, ...ascending(range.slice(0, 1))];
}

/** Whether there is an index that begins with one of the columns that are to be equal, or with that of a range. */
export const isServed = ({ entity, equal, range }: TableUse): boolean =>
  indexesIn(entity).some(([first]) => first !== undefined && [...equal, ...range].includes(first.column));

/** Whether there is an index that begins so. */
export const isThere = (entity: ResolvedEntity, wanted: readonly IndexPart[]): boolean =>
  indexesIn(entity).some((parts) => {
    const same = wanted.map((part, i) => parts[i]?.column === part.column && parts[i]?.descending === part.descending);
    const turned = wanted.map(
      (part, i) => parts[i]?.column === part.column && parts[i]?.descending !== part.descending,
    );
    return same.every(Boolean) || turned.every(Boolean);
  });

const pathOf = ({ steps }: ResolvedColumn): string => steps.join(".");
const words = (descending: boolean): string => (descending ? " desc" : "");

/** An index as the statement that makes it, and in the model's own notation. */
export function indexText(
  entity: ResolvedEntity,
  parts: readonly IndexPart[],
  { dialect }: Pick<LedgerRecord, "dialect">,
): string {
  const on = parts.map(({ column, descending }) => JSON.stringify(`${pathOf(column)}${words(descending)}`)).join(", ");
  const statement = createIndexText(entity, proposedIndex(entity, parts), dialect);
  return `${statement}; and in the model, of ${entity.name}: indexes: [{ on: [${on}] }].`;
}
