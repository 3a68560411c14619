import { didYouMean } from "../errors/index.js";
import type { ResolvedColumn, ResolvedMember } from "./resolved.js";
import type { StandardIssue, StandardResult, StandardSchema } from "./standard-schema.js";
import { canonicalOf, expectedOf, typeWord } from "./value-rules.js";

type Members = ReadonlyMap<string, ResolvedMember>;

/** What a user's own schema says of a column's value; one that answers later cannot be asked here. */
export function ownIssues({ schema, property }: ResolvedColumn, value: unknown): readonly StandardIssue[] {
  const result = schema?.["~standard"].validate(value);
  if (result === undefined) return [];
  if (result instanceof Promise)
    return [{ message: "its schema answers only later (a promise)", path: property.split(".") }];
  return (result.issues ?? []).map(({ message, path = [] }) => ({ message, path: [...property.split("."), ...path] }));
}

const isOptional = (column: ResolvedColumn): boolean =>
  !column.isRequired || column.kind === "identity" || column.defaultValue !== undefined || column.initial !== undefined;

function columnIssues(column: ResolvedColumn, value: unknown, isPartial: boolean): readonly StandardIssue[] {
  const path = column.property.split(".");
  if (value === undefined)
    return isPartial || isOptional(column)
      ? []
      : [{ message: `takes ${expectedOf(column.type)}, but is missing`, path }];
  if (value === null && !column.isRequired) return [];
  // JSON has a null of its own.
  if ((value === null && column.kind !== "json") || canonicalOf(value, column.type) === undefined)
    return [{ message: `takes ${expectedOf(column.type)}, but got ${typeWord(value)}`, path }];
  return ownIssues(column, value);
}

/** What is wrong with an object's members; a value object is asked for all of its parts. */
function memberIssues(
  members: Members,
  value: unknown,
  path: readonly string[],
  isPartial: boolean,
): readonly StandardIssue[] {
  if (typeof value !== "object" || value === null || Array.isArray(value))
    return [{ message: `takes an object, but ${value === undefined ? "is missing" : `got ${typeWord(value)}`}`, path }];
  const row = value as Readonly<Record<string, unknown>>;
  const unknown = Object.keys(row).filter((name) => !members.has(name));
  return [
    ...unknown.map((name) => ({
      message: `there is no such column.${didYouMean(name, [...members.keys()])}`,
      path: [...path, name],
    })),
    ...[...members].flatMap(([name, member]) => {
      const given = row[name];
      if (!("fields" in member)) return columnIssues(member, given, isPartial);
      if (given === undefined && (isPartial || member.presence !== undefined)) return [];
      return given === null && member.presence !== undefined
        ? []
        : memberIssues(member.fields, given, [...path, name], false);
    }),
  ];
}

/** The schema of an entity's rows as they come in from outside: of a new one, or of a part of one. */
export function rowSchema<Row>(members: Members, isPartial: boolean): StandardSchema<Row> {
  const validate = (value: unknown): StandardResult<Row> => {
    const issues = memberIssues(members, value, [], isPartial);
    return issues.length === 0 ? { value: value as Row } : { issues };
  };
  return Object.freeze({ "~standard": Object.freeze({ version: 1 as const, vendor: "gemach", validate }) });
}
