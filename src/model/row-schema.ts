import {
  canonicalOf,
  type Scalar,
  type StandardIssue,
  type StandardResult,
  type StandardSchema,
  typeWord,
} from "../columns/index.js";
import { didYouMean } from "../errors/index.js";
import {
  columnsIn,
  isGiven,
  keepsRule,
  type Node,
  partsOf,
  type ResolvedColumn,
  type ResolvedEntity,
  type ResolvedMember,
} from "../ir/index.js";
import { storedValue } from "./stored-value.js";

type Members = ReadonlyMap<string, ResolvedMember>;

type IsOptional = (column: ResolvedColumn) => boolean;

/**
 * Columns that a new row may leave out: the database, the model or the handle gives them a value, or none is needed.
 */
const optionalIn =
  ({ standing }: ResolvedEntity): IsOptional =>
  (column) =>
    !column.isRequired ||
    column.isComputed ||
    column.kind === "identity" ||
    column.hasDefault ||
    column.initial !== undefined ||
    standing.some(({ column: held, value }) => held === column && isGiven(value));

function columnIssues(column: ResolvedColumn, given: unknown, mayLack: boolean): readonly StandardIssue[] {
  if (given === undefined && mayLack) return [];
  const path = column.steps;
  const stored = storedValue(column, given, !column.isRequired);
  switch (stored.fault) {
    case undefined:
      return [];
    case "computed":
      return [{ message: "is worked out by the database", path }];
    case "missing":
      return [{ message: `takes ${stored.expected}, but is missing`, path }];
    case "unfit":
      return [{ message: `takes ${stored.expected}, but got ${stored.got}`, path }];
    case "refused":
      return stored.issues.map(({ message, path: inside = [] }) => ({ message, path: [...path, ...inside] }));
    default:
      return stored satisfies never;
  }
}

/** What is wrong with an object's members; a value object is asked for all of its parts. */
function memberIssues(
  members: Members,
  value: unknown,
  path: readonly string[],
  isPartial: boolean,
  isOptional: IsOptional,
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
      if (!("fields" in member)) return columnIssues(member, given, isPartial || isOptional(member));
      if (given === undefined && (isPartial || member.presence !== undefined)) return [];
      return given === null && member.presence !== undefined
        ? []
        : memberIssues(member.fields, given, [...path, name], false, isOptional);
    }),
  ];
}

/** What a row has for a column, by its path; undefined where that or a value object on the way is not there. */
const givenAt = (row: unknown, { steps }: ResolvedColumn): unknown =>
  steps.reduce<unknown>(
    (at, name) => (at === null || at === undefined ? at : (at as Record<string, unknown>)[name]),
    row,
  );

/** A column's value as a check sees it; undefined where only the database or the rest of the row would tell. */
function valueIn(row: unknown, column: ResolvedColumn, isPartial: boolean): Scalar | undefined {
  const given = givenAt(row, column);
  if (given === null) return null;
  if (given !== undefined) return canonicalOf(given, column.type);
  if (isPartial || column.kind === "identity" || column.isComputed || column.initial !== undefined) return undefined;
  return column.hasDefault ? column.defaultValue : null;
}

/** Whether only the database can tell what a rule says. */
const hasRaw = (node: Node): boolean => node.kind === "raw" || partsOf(node).some(hasRaw);

/**
 * The rules that a row breaks, as far as it says enough to tell: what is wrong with a column by itself tells nothing.
 */
function brokenRules(
  { checks }: ResolvedEntity,
  row: unknown,
  isPartial: boolean,
  issues: readonly StandardIssue[],
): readonly StandardIssue[] {
  const wrong = new Set(issues.map(({ path }) => path?.[0]));
  if (wrong.has(undefined)) return [];
  return [...checks].flatMap(([name, rule]) => {
    if (hasRaw(rule)) return [];
    const columns = columnsIn(rule);
    if (columns.some(({ steps }) => wrong.has(steps[0]))) return [];
    const values = new Map(columns.map((column) => [column, valueIn(row, column, isPartial)]));
    if ([...values.values()].includes(undefined)) return [];
    if (keepsRule(rule, (column) => values.get(column) ?? null)) return [];
    const [column, ...others] = values.keys();
    const isOfOne = column !== undefined && others.length === 0;
    return [{ message: `breaks the rule '${name}'`, ...(isOfOne ? { path: column.steps } : {}) }];
  });
}

/** The schema of an entity's rows as they come in from outside: of a new one, or of a part of one. */
export function rowSchema<Row>(entity: ResolvedEntity, isPartial: boolean): StandardSchema<Row> {
  const isOptional = optionalIn(entity);
  const validate = (value: unknown): StandardResult<Row> => {
    const issues = memberIssues(entity.members, value, [], isPartial, isOptional);
    const all = [...issues, ...brokenRules(entity, value, isPartial, issues)];
    return all.length === 0 ? { value: value as Row } : { issues: all };
  };
  return Object.freeze({ "~standard": Object.freeze({ version: 1 as const, vendor: "gemach", validate }) });
}
