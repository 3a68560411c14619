import type { ColumnKind } from "./value-type.js";

/** The facts of a kind of column, on every engine. */
export interface KindFacts {
  /** The kind that its values are compared as. */
  readonly compared: ColumnKind;
  readonly isNumber: boolean;
  /**
   * Whether its values travel as their digits, so that none is lost; in a statement's text they stand without quotes.
   */
  readonly isExact: boolean;
  /** Whether every engine knows which of two values comes first. */
  readonly isSortable: boolean;
  /** Whether every engine has a least and a greatest of many values. */
  readonly isRanked: boolean;
  /**
   * Whether a column may be part of a primary key: its values are told apart alike on every engine, and by an index.
   */
  readonly isKey: boolean;
  /** Whether a column may be in an index. */
  readonly isIndexable: boolean;
  /** Whether a collation says how its values are compared. */
  readonly hasCollation: boolean;
  /**
   * Whether equal keys are the same on the wire, whatever the table; else the database alone knows which are equal:
   * by a collation, a scale, letters of either case.
   */
  readonly isKeyedByBytes: boolean;
  /** Whether a message may show its values: they number rows, while those of others could be somebody's secret. */
  readonly isShown: boolean;
  /** Whether a list may be of it. */
  readonly isElement: boolean;
  /** Whether an engine can give its values as text. */
  readonly isTextable: boolean;
}

const plain = {
  compared: "text",
  isNumber: false,
  isExact: false,
  isSortable: true,
  isRanked: false,
  isKey: true,
  isIndexable: true,
  hasCollation: false,
  isKeyedByBytes: false,
  isShown: false,
  isElement: true,
  isTextable: false,
} as const satisfies KindFacts;

// Widened, its `compared` would be that of any kind, and texts no kind of their own.
const textual = { ...plain, isRanked: true, hasCollation: true, isTextable: true } as const satisfies KindFacts;
const whole = {
  ...plain,
  isNumber: true,
  isRanked: true,
  isKeyedByBytes: true,
  isShown: true,
  isTextable: true,
} as const;
const opaque = { ...plain, isSortable: false, isKey: false, isIndexable: false } as const;

/** The facts of each kind of column: a new kind is a row here, which the compiler demands. */
export const kinds = {
  identity: { ...whole, compared: "integer", isElement: false },
  integer: { ...whole, compared: "integer" },
  bigint: { ...whole, compared: "bigint", isExact: true },
  double: { ...plain, compared: "double", isNumber: true, isRanked: true, isKey: false },
  numeric: { ...plain, compared: "numeric", isNumber: true, isExact: true, isRanked: true, isTextable: true },
  text: textual,
  varchar: textual,
  choice: textual,
  boolean: { ...plain, compared: "boolean" },
  date: { ...plain, compared: "date", isRanked: true, isKeyedByBytes: true, isTextable: true },
  time: { ...plain, compared: "time", isRanked: true },
  timestamp: { ...plain, compared: "timestamp", isRanked: true },
  localTimestamp: { ...plain, compared: "localTimestamp", isRanked: true },
  uuid: { ...plain, compared: "uuid", isTextable: true },
  json: { ...opaque, compared: "json", isElement: false },
  bytes: { ...opaque, compared: "bytes", isSortable: true },
  list: { ...opaque, compared: "list" },
} as const satisfies Record<ColumnKind, KindFacts>;

/** Kinds that hold the same values are compared with each other. */
export const comparedKind = (kind: ColumnKind): ColumnKind => kinds[kind].compared;

/** in: a column's kind; out: the kind that its values are compared as. */
export type ComparedKind<K extends ColumnKind> = (typeof kinds)[K]["compared"];

/** The kinds, as they are compared, of which something is true. */
export const comparedKindsThat = (isTrue: (facts: KindFacts) => boolean): readonly ColumnKind[] =>
  (Object.keys(kinds) as ColumnKind[]).filter((kind) => kinds[kind].compared === kind && isTrue(kinds[kind]));
