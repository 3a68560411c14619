import type { OutsideRules, ResolvedColumn, ResolvedEntity, ResolvedRelation } from "../ir/index.js";
import type { CallSite } from "../run/index.js";

/** How a value that code could change in place is compared with what was read. */
export interface Snapshot {
  /** Something that later changes of the value do not reach. */
  of(value: unknown): unknown;
  isSame(value: unknown, snapshot: unknown): boolean;
  /** A value like the one that was printed. */
  back(snapshot: unknown): unknown;
  /** The columns of a value object that are as they were. */
  same?(value: unknown, snapshot: unknown): readonly ResolvedColumn[];
}

/** Entities that one statement brought together: what is read of one of them is loaded for all. */
export interface Cohort {
  readonly members: LiveObject[];
  /** What is being loaded, by the name of the relation or column. */
  readonly loading: Map<string, Promise<void>>;
  /** The line of code that brought them. */
  readonly at: CallSite | undefined;
}

/**
 * Rules for what is outside of a query's reach; those of what a row was reached from hold where its own say nothing.
 */
export interface Rules {
  readonly own: OutsideRules;
  readonly above: Rules | undefined;
}

/** A live entity, to whoever does not know its columns. */
export type LiveObject = Record<string, unknown>;

/** Where an entity stands: in the database; to be inserted; to be deleted; no longer looked after. */
export type LiveStatus = "kept" | "new" | "removed" | "forgotten";

/** What makes live entities of plain rows that have certain columns, and compares them with what was read. */
export interface LiveShape {
  readonly names: readonly string[];
  /** Makes one; the plain row is taken over as what was read. */
  create(state: LiveState, row: LiveObject): LiveObject;
  differs(live: LiveObject, original: LiveObject): boolean;
}

/** All live entities of one entity: their class, and how their columns are compared. */
export interface LiveKind {
  readonly entity: ResolvedEntity;
  readonly properties: Properties;
  readonly snapshots: ReadonlyMap<string, Snapshot>;
  /** For rows that have these columns. */
  shapeFor(names: readonly string[]): LiveShape;
  /** Puts a loaded relation onto an entity, where loops and copies see it. */
  show(live: LiveObject, relation: ResolvedRelation): void;
}

/** The facts of one live entity of a unit of work. */
export interface LiveState {
  readonly unit: object;
  readonly kind: LiveKind;
  shape: LiveShape;
  status: LiveStatus;
  /**
   * What the database has, by column, in a form that later changes do not reach; of new ones what is to be inserted.
   */
  original: Record<string, unknown>;
  /** Columns that came later than the others. */
  added: string[] | undefined;
  cohort: Cohort;
  /** Relations that are loaded or were set. */
  related: Map<string, unknown> | undefined;
  /**
   * The keys by which to-one relations led to what was loaded, where that is to be compared; undefined: it was waited
   * for.
   */
  ledBy: Map<string, string | null | undefined> | undefined;
  /**
   * The rows whose loaded relations have this one, by its relation back, if its key does not show which row that is.
   */
  owners: Map<string, LiveObject> | undefined;
  readonly rules: Rules | undefined;
  /** Columns that get their value of the key of a new entity, once the database has given that. */
  awaits: Map<ResolvedColumn, { readonly of: LiveObject; readonly column: ResolvedColumn }> | undefined;
}

/** The properties of a live entity; the unit of work that it is part of says how they act. */
export interface Properties {
  /** `reading`: the function that runs as code reads the property. */
  readRelation(live: LiveObject, state: LiveState, relation: ResolvedRelation, reading: unknown): unknown;
  setRelation(live: LiveObject, state: LiveState, relation: ResolvedRelation, value: unknown): void;
  /** Whether reading a relation needs no statement. */
  isThere(live: LiveObject, state: LiveState, relation: ResolvedRelation): boolean;
  /** A column that is not on the entity itself. */
  readColumn(live: LiveObject, state: LiveState, name: string, reading: unknown): unknown;
}

/** The base of all live entities: hides what is known of them from loops, copies, comparisons and print. */
export class LiveBase {
  readonly #kept: LiveState;

  constructor(state: LiveState) {
    this.#kept = state;
  }

  /** What is known of a live entity; undefined for anything else. */
  static of(value: unknown): LiveState | undefined {
    return typeof value === "object" && value !== null && #kept in value ? (value as LiveBase).#kept : undefined;
  }
}

/** What is known of a live entity. */
export const liveStateOf = (live: object): LiveState => LiveBase.of(live) as LiveState;

/** Notes a column that an entity got later than those that it was made with. */
export function noteAddedColumn(state: LiveState, name: string): void {
  if (state.shape.names.includes(name)) return;
  state.added ??= [];
  if (!state.added.includes(name)) state.added.push(name);
}
