import type { Scalar } from "../columns/index.js";
import type { ResolvedColumn } from "../expression/index.js";
import type { InsertPortion } from "./write-plan.js";

/** What an engine takes in one statement that inserts. */
export interface PortionRules {
  /** How many rows, the most first: few sizes, so that there are few texts; none: any number. */
  readonly rows: readonly number[];
  readonly mostParameters: number;
  /** How many bytes of texts and bytes, about. */
  readonly mostBytes: number;
  /** Whether rows of one statement may leave out different columns. */
  readonly takesDefault: boolean;
}

type Values = readonly (Scalar | undefined)[];
type Portion = Pick<InsertPortion, "columns" | "chunks" | "isMixed">;

function bytesOf(values: Values): number {
  let sum = 0;
  for (const value of values) sum += typeof value === "string" || value instanceof Uint8Array ? value.length : 8;
  return sum;
}

/** Rows in chunks that one statement takes: of the given sizes, the largest first. */
function chunksOf(
  rows: readonly Values[],
  width: number,
  rules: PortionRules,
  isMixed: boolean,
): readonly (readonly Values[])[] {
  // A column that travels as an array is one parameter.
  const isListed = isMixed || rules.rows.length > 0;
  const fitting = isListed ? Math.max(1, Math.floor(rules.mostParameters / width)) : rows.length;
  // A text that says what each row leaves out is no other's.
  const sizes = isMixed ? [] : rules.rows.filter((size) => size <= fitting);
  const most = Math.min(fitting, sizes[0] ?? fitting);
  const chunks: (readonly Values[])[] = [];
  const counts = rows.map(bytesOf);
  let at = 0;
  while (at < rows.length) {
    let end = at;
    let bytes = 0;
    while (end < rows.length && end - at < most && (end === at || bytes + (counts[end] as number) <= rules.mostBytes))
      bytes += counts[end++] as number;
    end = at + (sizes.find((size) => size <= end - at) ?? end - at);
    chunks.push(rows.slice(at, end));
    at = end;
  }
  return chunks;
}

const maskOf = (values: Values): string => values.map((value) => (value === undefined ? "-" : "x")).join("");

/** Rows that follow one another and bring the same columns; of a conflict's, so that no key is in one portion twice. */
function runsOf(rows: readonly Values[], keySlots: readonly number[] | undefined): readonly (readonly Values[])[] {
  const runs: Values[][] = [];
  let mask: string | undefined;
  let known = new Set<string>();
  for (const row of rows) {
    const own = maskOf(row);
    // A key that the database makes up is no other row's.
    const isKeyed = keySlots?.every((slot) => row[slot] !== undefined) === true;
    const key = isKeyed ? keySlots.map((slot) => `${typeof row[slot]} ${row[slot]}`).join("\n") : undefined;
    if (own !== mask || (key !== undefined && known.has(key))) {
      runs.push([]);
      known = new Set();
      mask = own;
    }
    if (key !== undefined) known.add(key);
    (runs.at(-1) as Values[]).push(row);
  }
  return runs;
}

/**
 * Rows of equal columns in the chunks that one statement takes, in their order: what a row leaves out is left to the
 * database, whatever the others bring. `by`: the columns by which rows that are there are found.
 */
export function portionsOf(
  columns: readonly ResolvedColumn[],
  rows: readonly Values[],
  rules: PortionRules,
  by: readonly ResolvedColumn[] | undefined,
): readonly Portion[] {
  const isMixed = rows.some((row) => row.includes(undefined));
  if (isMixed && by === undefined && rules.takesDefault)
    return [{ columns, chunks: chunksOf(rows, columns.length, rules, true), isMixed: true }];
  const slots = by?.map((column) => columns.indexOf(column)).filter((slot) => slot >= 0);
  const runs = isMixed || by !== undefined ? runsOf(rows, slots) : [rows];
  return runs.flatMap((run) => {
    const [first] = run;
    if (first === undefined) return [];
    const own = columns.filter((_, i) => first[i] !== undefined);
    const values = isMixed ? run.map((row) => row.filter((value) => value !== undefined)) : run;
    // Rows of which the database makes up all are sent one by one.
    const chunks = own.length === 0 ? values.map((row) => [row]) : chunksOf(values, own.length, rules, false);
    return [{ columns: own, chunks, isMixed: false }];
  });
}
