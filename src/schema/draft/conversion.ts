import type { ColumnLayout, DialectName } from "../../sql/index.js";
import { typeForm } from "../compare/forms.js";

/** Types whose values are turned into each other, by what they begin with. */
const families: readonly (readonly [RegExp, "whole" | "number" | "text" | "day" | "instant" | "boolean"])[] = [
  [/^tinyint\(1\)|^boolean/, "boolean"],
  [/^(?:tinyint|smallint|mediumint|int|integer|bigint)/, "whole"],
  [/^(?:numeric|decimal|double|real|float)/, "number"],
  [/^(?:text|character|varchar|char|longtext|mediumtext|tinytext)/, "text"],
  [/^date$/, "day"],
  [/^(?:timestamp|datetime)/, "instant"],
];

export const familyOf = (form: string) => families.find(([pattern]) => pattern.test(form))?.[1];

/** Families that take each other's values where these fit. */
const converted: Readonly<Record<string, readonly string[]>> = {
  whole: ["whole", "number", "text"],
  number: ["whole", "number", "text"],
  text: ["whole", "number", "text", "day", "instant"],
  day: ["day", "instant", "text"],
  instant: ["day", "instant", "text"],
  boolean: ["boolean", "text"],
};

/** Whether values of a column can be turned into what it is to hold; else it is dropped, and made anew. */
export function isConvertible(from: ColumnLayout, to: ColumnLayout, dialect: DialectName): boolean {
  if (from.computed !== undefined || to.computed !== undefined)
    return from.computed === undefined && to.computed === undefined;
  // SQLite keeps values as they are where they do not turn into what a column's type prefers.
  if (dialect === "sqlite") return true;
  const [before, after] = [typeForm(from.type, dialect), typeForm(to.type, dialect)];
  if (before === after) return true;
  const [left, right] = [familyOf(before), familyOf(after)];
  return left !== undefined && right !== undefined && converted[left]?.includes(right) === true;
}

const sizesIn = (form: string): readonly number[] =>
  (/\(([\d,]+)\)/.exec(form)?.[1] ?? "").split(",").filter(Boolean).map(Number);

const wholeDigits: readonly (readonly [RegExp, number])[] = [
  [/^tinyint/, 3],
  [/^smallint/, 5],
  [/^mediumint/, 7],
  [/^int/, 10],
  [/^bigint/, 19],
];

const digitsOf = (form: string): number => wholeDigits.find(([pattern]) => pattern.test(form))?.[1] ?? 0;

/** Whether every value of the first type is one of the second, as it is. */
export function isWider(before: string, after: string): boolean {
  const [left, right] = [familyOf(before), familyOf(after)];
  const [from = Number.POSITIVE_INFINITY, fromScale = 0] = sizesIn(before);
  const [to = Number.POSITIVE_INFINITY, toScale = 0] = sizesIn(after);
  if (before === after) return true;
  if (left === "text" && right === "text")
    return from <= to && !/^char/.test(after.replace(/^character varying/, "varchar"));
  if (left === "whole" && right === "whole")
    return digitsOf(before) <= digitsOf(after) && !/unsigned/.test(before + after);
  if (left === "whole" && /^(?:numeric|decimal)/.test(after)) return digitsOf(before) <= to - toScale;
  if (left === "whole" && right === "text") return to >= 20;
  if (/^(?:numeric|decimal)/.test(before) && /^(?:numeric|decimal)/.test(after))
    return from - fromScale <= to - toScale && fromScale <= toScale;
  return (
    (left === "day" || left === "instant") &&
    left === right &&
    from <= to &&
    /zone/.exec(before)?.[0] === /zone/.exec(after)?.[0]
  );
}
