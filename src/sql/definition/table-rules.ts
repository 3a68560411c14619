import type { ValueType } from "../../columns/index.js";
import type { ColumnDescription, IndexDescription } from "../../model/index.js";

/** The rules by which one engine's definitions of tables differ. */
export interface TableRules {
  /** How it says of a column of a type that the database hands its values out. */
  readonly identity: (type: string) => string;
  /** The type of a column; of one that is part of a key or index, where that matters. */
  readonly columnType: (type: ValueType, isIndexed: boolean) => string;
  /** The collation by which a text is compared; undefined where the table's own goes by code point. */
  readonly collation: (given: Readonly<Record<string, string>> | undefined) => string | undefined;
  /** Returns the check of a column, where the engine's own type does not say it. */
  readonly check: (column: ColumnDescription, name: string) => string | undefined;
  /** Whether a schema is by itself: an index is created in it by name, and a foreign key leads to no other. */
  readonly isByItself: boolean;
  /** Returns the index in a form that the engine has. */
  readonly index?: (index: IndexDescription, entity: string) => IndexDescription;
  /** The clauses after the columns. */
  readonly settings: string;
}

/** A check that a choice is one of its texts. */
export const choiceCheck = (name: string, choices: readonly string[], literal: (text: string) => string): string =>
  `${name} in (${choices.map(literal).join(", ")})`;
