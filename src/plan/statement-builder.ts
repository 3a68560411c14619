import type { ValueType } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  columnAt,
  type Path,
  type QueryState,
  type ResolvedColumn,
  type ResolvedRelation,
  type SetNode,
  type Source,
  type Step,
  type Strategy,
  typeOf,
} from "../ir/index.js";
import type {
  FollowUp,
  JoinedRows,
  JoinedSource,
  NestedRows,
  Output,
  PlanSettings,
  ReachNote,
  StatementPlan,
} from "./statement-plan.js";

/** The outputs of a statement under construction; a column that is asked for twice is fetched once. */
export interface Slots {
  readonly outputs: Output[];
  readonly column: (path: Path, column: ResolvedColumn) => number;
  readonly output: (output: Output) => number;
}

/** Outputs, none yet. */
export function makeSlots(): Slots {
  const outputs: Output[] = [];
  const known = new Map<ResolvedColumn, { readonly path: Path; readonly slot: number }[]>();
  const add = (output: Output) => outputs.push(output) - 1;
  const samePath = (a: Path, b: Path) =>
    a === b ||
    (a.source === b.source && a.steps.length === b.steps.length && a.steps.every((step, i) => step === b.steps[i]));
  const column = (path: Path, wanted: ResolvedColumn) => {
    const there = known.get(wanted);
    const same = there?.find((entry) => samePath(entry.path, path));
    if (same !== undefined) return same.slot;
    const slot = add(columnAt(path, wanted));
    if (there === undefined) known.set(wanted, [{ path, slot }]);
    else there.push({ path, slot });
    return slot;
  };
  return {
    outputs,
    column,
    output: (wanted) => (wanted.kind === "column" ? column(wanted.path, wanted.column) : add(wanted)),
  };
}

/** What a statement is for: its query's own rows, or rows that follow from those of another statement. */
export interface StatementRole {
  readonly purpose: string;
  /** The relation whose rows it brings, where those are not the query's own. */
  readonly relation?: string;
  readonly ownerSteps: readonly Step[];
  readonly ownerSets?: readonly SetNode[];
  readonly ordered: boolean;
  /** Whether several rows belong to one of its owners. */
  readonly isMany?: boolean;
  /** How many rows it has at most, where they are a query's own. */
  readonly most?: number;
  /** The relation by which its rows lead on to further rows of their own kind. */
  readonly deep?: ResolvedRelation | undefined;
}

/** A statement under construction, and the strategies that hold in it. */
export interface StatementBuilder {
  readonly slots: Slots;
  /** Undefined inside of nested rows, which have no rows of their own for what is joined. */
  readonly joined: JoinedSource[] | undefined;
  readonly bound: Map<Source, Path>;
  readonly notes: ReachNote[];
  readonly settings: PlanSettings;
  /** Whether there is a statement at all: what is in memory already has only follow-ups. */
  readonly isInMemory?: boolean;
  /** Whether its rows belong to many others. */
  readonly isBelowMany?: boolean;
  /** How many rows it has at most. */
  readonly most: number;
  /** Plans a statement that follows from the rows of this one. */
  readonly planFollowUp: (query: QueryState, strategy: Strategy | undefined, role: StatementRole) => StatementPlan;
}

/** What the rows of one source bring along: filled while its shape is made. */
export interface RowsBuilder {
  readonly joined: JoinedRows[];
  readonly nested: NestedRows[];
  readonly followUps: FollowUp[];
}

/** The type of what stands in a place of a statement's rows; undefined for nested rows and for numbers of rows. */
export function typeOfOutput(output: Output): ValueType | undefined {
  if (output.kind === "nested" || output.kind === "rowCount" || output.kind === "presence") return undefined;
  return output.kind === "owner" ? output.type : typeOf(output).type;
}

/** The slots of columns at the end of a path. */
export const keySlots = (
  { slots }: StatementBuilder,
  path: Path,
  columns: readonly ResolvedColumn[],
): readonly number[] => columns.map((column) => slots.column(path, column));

/** A column that has a value wherever there is a row at the end of a path, which leads away from its source. */
export function presenceSlots(builder: StatementBuilder, path: Path): readonly number[] {
  const [first] = path.entity.key;
  const told = first ?? path.steps.at(-1)?.pairs[0]?.to;
  return told === undefined ? [] : keySlots(builder, path, [told]);
}

/** A reach that its relation cannot give. */
export const unfit = ({ source, name }: ResolvedRelation, got: string): GemachError =>
  new GemachError("REACH_UNFIT", { entity: source.name, relation: name, got });
