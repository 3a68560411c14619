import { derivedByName } from "../columns/index.js";
import type { ResolvedColumn, ResolvedEntity } from "../ir/index.js";
import type { NewRows, RowValues } from "./new-rows.js";
import type { InsertPortion } from "./write-plan.js";

/** The most of one statement that inserts, by engine. */
export interface PortionRules {
  /** How many rows, the most first: few sizes, so that there are few texts; none: any number. */
  readonly rows: readonly number[];
  readonly mostParameters: number;
  /** How many bytes of texts and bytes, about. */
  readonly mostBytes: number;
  /**
   * Whether a column may be left out by some rows of a statement that others bring; `hasIdentity`: whether the table's
   * counted column is known.
   */
  readonly takesDefault: (column: ResolvedColumn, hasIdentity: boolean) => boolean;
}

type Portion = InsertPortion & { readonly conflict: undefined };

const bytesOf = (values: RowValues): number =>
  values.reduce<number>(
    (sum, value) => sum + (typeof value === "string" || value instanceof Uint8Array ? value.length : 8),
    0,
  );

/** Rows in chunks that one statement takes: of the given sizes, the largest first. `bytes`: of all of them. */
function chunksOf(
  rows: readonly RowValues[],
  width: number,
  rules: PortionRules,
  isMixed: boolean,
  bytes: number,
): readonly (readonly RowValues[])[] {
  if (rows.length === 1) return [rows];
  // A column that travels as an array is one parameter.
  const isListed = isMixed || rules.rows.length > 0;
  const fitting = isListed ? Math.max(1, Math.floor(rules.mostParameters / width)) : rows.length;
  // A text that says what each row leaves out is no other's.
  const sizes = isMixed ? [] : rules.rows.filter((size) => size <= fitting);
  const most = Math.min(fitting, sizes[0] ?? fitting);
  const counts = bytes <= rules.mostBytes ? undefined : rows.map(bytesOf);
  const endFrom = (at: number): number => {
    if (counts === undefined) return Math.min(at + most, rows.length);
    let end = at;
    let sum = 0;
    while (end < rows.length && end - at < most && (end === at || sum + (counts[end] as number) <= rules.mostBytes))
      sum += counts[end++] as number;
    return end;
  };
  const chunks: (readonly RowValues[])[] = [];
  for (let at = 0; at < rows.length; ) {
    const fits = endFrom(at) - at;
    const size = sizes.find((one) => one <= fits) ?? fits;
    chunks.push(rows.slice(at, at + size));
    at += size;
  }
  return chunks;
}

const maskOf = (values: RowValues): string => values.map((value) => (value === undefined ? "-" : "x")).join("");

/** A column of the key by which rows are found, and its place among the values; -1 where no row brings it. */
interface KeyPart {
  readonly slot: number;
  readonly isIdentity: boolean;
}

const partIn = (row: RowValues, { slot }: KeyPart): unknown => (slot < 0 ? undefined : row[slot]);

/**
 * What tells a row's key from others; undefined where the database makes up a number for it, so that it is no other
 * row's.
 */
function keyIn(row: RowValues, key: readonly KeyPart[]): unknown {
  const [first] = key;
  if (first === undefined) return undefined;
  const value = partIn(row, first);
  if (key.length === 1 && value !== undefined && typeof value !== "object") return value;
  if (key.some((part) => part.isIdentity && partIn(row, part) === undefined)) return undefined;
  // A default may be the same for all that leave it out.
  return key.map((part) => `${typeof partIn(row, part)} ${partIn(row, part)}`).join("\n");
}

/** Rows that follow one another and bring the same columns; of a conflict's, so that no key is in one portion twice. */
function runsOf(
  rows: readonly RowValues[],
  isMixed: boolean,
  keyParts: readonly KeyPart[],
): readonly (readonly RowValues[])[] {
  const runs: RowValues[][] = [];
  let mask: string | undefined;
  let known = new Set<unknown>();
  for (const row of rows) {
    const own = isMixed ? maskOf(row) : "";
    const key = keyIn(row, keyParts);
    if (own !== mask || (key !== undefined && known.has(key))) {
      runs.push([]);
      known = new Set();
      mask = own;
    }
    if (key !== undefined) known.add(key);
    (runs.at(-1) as RowValues[]).push(row);
  }
  return runs;
}

const broughtColumns = derivedByName<readonly ResolvedColumn[], string, readonly ResolvedColumn[]>();

/** The columns for which a row has values: the same list for the same ones. */
const broughtBy = (row: RowValues, columns: readonly ResolvedColumn[]): readonly ResolvedColumn[] =>
  broughtColumns(columns, maskOf(row), () => columns.filter((_, i) => row[i] !== undefined));

/**
 * Rows of equal columns in the chunks that one statement takes, in their order: what a row leaves out is left to the
 * database, whatever the others bring. `by`: the columns by which rows that are there are found.
 */
export function portionsOf(
  { columns, values: rows, isMixed, bytes }: NewRows,
  rules: PortionRules,
  by: readonly ResolvedColumn[] | undefined,
  entity: ResolvedEntity,
): readonly Portion[] {
  const takesDefault = (): boolean => {
    const hasIdentity = [...entity.columns.values()].some(({ kind }) => kind === "identity");
    return columns.every(
      (column, i) => rules.takesDefault(column, hasIdentity) || !rows.some((row) => row[i] === undefined),
    );
  };
  if (isMixed && by === undefined && takesDefault())
    return [
      { columns, chunks: chunksOf(rows, columns.length, rules, true, bytes), isMixed: true, conflict: undefined },
    ];
  if (!isMixed && by === undefined && columns.length > 0)
    return rows.length === 0
      ? []
      : [{ columns, chunks: chunksOf(rows, columns.length, rules, false, bytes), isMixed, conflict: undefined }];
  const key = (by ?? []).map((column) => ({ slot: columns.indexOf(column), isIdentity: column.kind === "identity" }));
  const runs = isMixed || by !== undefined ? runsOf(rows, isMixed, key) : [rows];
  return runs.flatMap((run) => {
    const [first] = run;
    if (first === undefined) return [];
    const own = isMixed ? broughtBy(first, columns) : columns;
    const values = isMixed ? run.map((row) => row.filter((value) => value !== undefined)) : run;
    // Rows of which the database makes up all are sent one by one.
    const chunks = own.length === 0 ? values.map((row) => [row]) : chunksOf(values, own.length, rules, false, bytes);
    return [{ columns: own, chunks, isMixed: false, conflict: undefined }];
  });
}
