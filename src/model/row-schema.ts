import { didYouMean } from "../errors/index.js";
import type { ResolvedColumn } from "./resolved.js";
import type { StandardIssue, StandardResult, StandardSchema } from "./standard-schema.js";
import { canonicalOf, expectedOf, typeWord } from "./value-rules.js";

/** What a user's own schema says of a column's value; one that answers later cannot be asked here. */
export function ownIssues({ schema, property }: ResolvedColumn, value: unknown): readonly StandardIssue[] {
  const result = schema?.["~standard"].validate(value);
  if (result === undefined) return [];
  if (result instanceof Promise) return [{ message: "its schema answers only later (a promise)", path: [property] }];
  return (result.issues ?? []).map(({ message, path = [] }) => ({ message, path: [property, ...path] }));
}

const isOptional = (column: ResolvedColumn): boolean =>
  column.isNullable || column.kind === "identity" || column.defaultValue !== undefined || column.initial !== undefined;

function issuesOf(column: ResolvedColumn, value: unknown, isPartial: boolean): readonly StandardIssue[] {
  const path = [column.property];
  if (value === undefined)
    return isPartial || isOptional(column)
      ? []
      : [{ message: `takes ${expectedOf(column.type)}, but is missing`, path }];
  if (value === null && column.isNullable) return [];
  // JSON has a null of its own.
  if ((value === null && column.kind !== "json") || canonicalOf(value, column.type) === undefined)
    return [{ message: `takes ${expectedOf(column.type)}, but got ${typeWord(value)}`, path }];
  return ownIssues(column, value);
}

/** The schema of an entity's rows as they come in from outside: of a new one, or of a part of one. */
export function rowSchema<Row>(columns: ReadonlyMap<string, ResolvedColumn>, isPartial: boolean): StandardSchema<Row> {
  const validate = (value: unknown): StandardResult<Row> => {
    if (typeof value !== "object" || value === null || Array.isArray(value))
      return { issues: [{ message: `takes an object, but got ${typeWord(value)}` }] };
    const row = value as Readonly<Record<string, unknown>>;
    const unknown = Object.keys(row).filter((name) => !columns.has(name));
    const issues = [
      ...unknown.map((name) => ({
        message: `there is no such column.${didYouMean(name, [...columns.keys()])}`,
        path: [name],
      })),
      ...[...columns.values()].flatMap((column) => issuesOf(column, row[column.property], isPartial)),
    ];
    return issues.length === 0 ? { value: row as Row } : { issues };
  };
  return Object.freeze({ "~standard": Object.freeze({ version: 1 as const, vendor: "gemach", validate }) });
}
