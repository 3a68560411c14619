import {
  type OutsideRules,
  type ResolvedColumn,
  type ResolvedEntity,
  type ResolvedRelation,
  valueAt,
} from "../expression/index.js";
import type { CallSite } from "../run/index.js";
import type { Print } from "./prints.js";

/** Entities that one statement brought together: what is read of one of them is loaded for all. */
export interface Cohort {
  readonly members: Live[];
  /** What is being loaded, by the name of the relation or column. */
  readonly loading: Map<string, Promise<void>>;
  /** The line of code that brought them. */
  readonly at: CallSite | undefined;
}

/** Rules for what is outside of a query's reach; those of what a row was reached from hold where its own say nothing. */
export interface Rules {
  readonly own: OutsideRules;
  readonly above: Rules | undefined;
}

/** A live entity, to whoever does not know its columns. */
export type Live = Record<string, unknown>;

/** Where an entity stands: in the database; to be inserted; to be deleted; no longer looked after. */
export type Standing = "kept" | "new" | "removed" | "forgotten";

/** What makes live entities of plain rows that have certain columns, and compares them with what was read. */
export interface LiveShape {
  readonly names: readonly string[];
  /** Makes one; the plain row is taken over as what was read. */
  create(kept: Kept, row: Live): Live;
  differs(live: Live, was: Live): boolean;
}

/** All live entities of one entity: their class, and how their columns are compared. */
export interface LiveKind {
  readonly entity: ResolvedEntity;
  readonly prints: ReadonlyMap<string, Print>;
  /** For rows that have these columns. */
  shapeFor(names: readonly string[]): LiveShape;
  /** Puts a loaded relation onto an entity, where loops and copies see it. */
  show(live: Live, relation: ResolvedRelation): void;
}

/** What a unit of work knows of one of its entities. */
export interface Kept {
  readonly unit: object;
  readonly kind: LiveKind;
  shape: LiveShape;
  standing: Standing;
  /** What the database has, by column, in a form that later changes do not reach; of new ones what is to be inserted. */
  was: Record<string, unknown>;
  /** Columns that came later than the others. */
  further: string[] | undefined;
  cohort: Cohort;
  /** Relations that are loaded or were set. */
  related: Map<string, unknown> | undefined;
  readonly rules: Rules | undefined;
  /** Columns that get their value of the key of a new entity, once the database has given that. */
  awaits: Map<ResolvedColumn, { readonly of: Live; readonly column: ResolvedColumn }> | undefined;
}

/** What a live entity's properties do; the unit of work that it is part of says how. */
export interface Properties {
  /** `reading`: the function that runs as code reads the property. */
  readRelation(live: Live, kept: Kept, relation: ResolvedRelation, reading: unknown): unknown;
  setRelation(live: Live, kept: Kept, relation: ResolvedRelation, value: unknown): void;
  /** A column that is not on the entity itself. */
  readColumn(live: Live, kept: Kept, name: string, reading: unknown): unknown;
}

/** The base of all live entities: hides what is known of them from loops, copies, comparisons and print. */
export class Stamped {
  readonly #kept: Kept;

  constructor(kept: Kept) {
    this.#kept = kept;
  }

  /** What is known of a live entity; undefined for anything else. */
  static of(value: unknown): Kept | undefined {
    return typeof value === "object" && value !== null && #kept in value ? (value as Stamped).#kept : undefined;
  }
}

/** What is known of a live entity. */
export const keptOf = (live: object): Kept => Stamped.of(live) as Kept;

/** Notes a column that an entity got later than those that it was made with. */
export function noteFurther(kept: Kept, name: string): void {
  if (kept.shape.names.includes(name)) return;
  kept.further ??= [];
  if (!kept.further.includes(name)) kept.further.push(name);
}

/** What tells a row from the others of its entity, of values in code: equal for equal keys. */
export function identityOf({ key }: ResolvedEntity, row: object): unknown {
  const first = key[0];
  if (first === undefined) return undefined;
  if (key.length === 1) {
    const value = valueAt(row, first.steps);
    return typeof value === "object" ? keyText(value) : value;
  }
  const parts = key.map(({ steps }) => valueAt(row, steps));
  return parts.some((part) => part === undefined || part === null) ? undefined : parts.map(keyText).join("\u0000");
}

const keyText = (value: unknown): string =>
  value instanceof Date ? value.toISOString() : `${typeof value}${JSON.stringify(value, bigintText)}`;

const bigintText = (_: string, value: unknown): unknown => (typeof value === "bigint" ? `${value}n` : value);
