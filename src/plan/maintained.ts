import { canonicalOf, derived, type Scalar } from "../columns/index.js";
import {
  columnAt,
  type Node,
  type Path,
  pathTo,
  type ResolvedColumn,
  type ResolvedEntity,
  type Source,
} from "../ir/index.js";
import { storedOrThrow } from "../model/index.js";
import type { Assigned } from "./write-plan.js";

/** The columns that each write of a row gives a value of its own: its version, and those with `onWrite`. */
export const maintainedColumns = derived((entity: ResolvedEntity): readonly ResolvedColumn[] =>
  [...entity.columns.values()].filter(({ isVersion, written }) => isVersion || written !== undefined),
);

const constant = (value: Scalar, type: ResolvedColumn["type"]): Node => ({ kind: "value", value, type });

/** The version of a row that is changed, worked out by the database: one more, or `now`, and later than before. */
export function raisedVersion(column: ResolvedColumn, row: Path, now = constantNow(column)): Node {
  const { kind, type } = column;
  const old = columnAt(row, column);
  if (kind !== "timestamp")
    return {
      kind: "call",
      call: "plus",
      operands: [old, { kind: "value", value: kind === "bigint" ? 1n : 1, type, isConstant: true }],
      type,
      isNullable: false,
    };
  const later: Node = {
    kind: "call",
    call: "plusSeconds",
    operands: [old, constant(1, { kind: "integer" })],
    type,
    isNullable: false,
  };
  const isPast: Node = { kind: "compare", comparison: "below", left: old, right: now };
  return { kind: "case", branches: [{ when: isPast, value: now }], otherwise: later, type, isNullable: false };
}

const constantNow = ({ type, kind }: ResolvedColumn): Node =>
  constant(kind === "timestamp" ? (canonicalOf(new Date(), type) as Scalar) : null, type);

/** The version of a row after a write, in the form for dialects; `read`: the one that it was read at. */
export function versionAfter({ kind, type }: ResolvedColumn, read: Scalar | undefined): Scalar {
  if (kind === "bigint") return (read as bigint) + 1n;
  if (kind !== "timestamp") return (read as number) + 1;
  const now = canonicalOf(new Date(), type) as string;
  if (typeof read !== "string" || read < now) return now;
  return canonicalOf(new Date(Date.parse(`${read.slice(0, 23)}Z`) + 1), type) as string;
}

/** The value that a write gives a column with `onWrite`. */
export const writtenValue = (column: ResolvedColumn, call: string): Scalar =>
  storedOrThrow(column, column.written?.(), column.isNullable, { call });

/** What a change of rows gives their columns, with those that each write gives a value of its own. */
export function withMaintained(source: Source, set: readonly Assigned[], call: string): readonly Assigned[] {
  const { entity } = source;
  const columns = maintainedColumns(entity).filter((column) => !set.some((one) => one.column === column));
  if (columns.length === 0) return set;
  const row = pathTo(source);
  return [...set, ...columns.map((column) => assignedTo(column, row, call))];
}

const assignedTo = (column: ResolvedColumn, row: Path, call: string): Assigned => ({
  column,
  value: column.isVersion ? raisedVersion(column, row) : constant(writtenValue(column, call), column.type),
});

/** What the rows of a query, inserted as new ones, get beside what the query says. */
export function startingFor(entity: ResolvedEntity, set: readonly Assigned[]): readonly Assigned[] {
  const columns = maintainedColumns(entity).filter((column) => !set.some((one) => one.column === column));
  return columns.map((column) => ({
    column,
    value: constant(storedOrThrow(column, column.initial?.(), column.isNullable, { call: "insertFrom" }), column.type),
  }));
}
