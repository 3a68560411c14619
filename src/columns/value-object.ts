import type { AnyColumn } from "./column.js";
/** The columns of an entity, or of a value object, by the name that code uses. */
export type Columns = Readonly<Record<string, AnyColumn | AnyValueObject>>;

/** A value object of any columns. */
export interface AnyValueObject {
  readonly kind: "value";
  readonly columns: Columns;
  readonly isNullable: boolean;
}

/** Several columns of a table as one value. `N`: there may be no such value. */
export interface ValueObject<C extends Columns = Columns, N extends boolean = boolean> extends AnyValueObject {
  readonly columns: C;
  readonly isNullable: N;
  /** Allows the value object to be missing as a whole: all of its columns hold null then. */
  readonly nullable: ValueObject<C, true>;
}

function valueObject<C extends Columns, N extends boolean>(columns: C, isNullable: N): ValueObject<C, N> {
  return Object.freeze({
    kind: "value" as const,
    columns,
    isNullable,
    get nullable() {
      return valueObject(columns, true as const);
    },
  });
}

/**
 * A value object: several columns of the table as one value, such as an address. Its columns may be
 * value objects again. Their names in the table begin with its own, unless they are given.
 */
export const value = <const C extends Columns>(columns: C): ValueObject<C, false> => valueObject(columns, false);

/** Whether columns are those of a value object. */
export const isValueObject = (member: AnyColumn | AnyValueObject): member is AnyValueObject => "columns" in member;

/** A column of an entity by its path ("address.street"), and whether it is part of a value that may be missing. */
export interface FlatColumn {
  readonly path: string;
  /** The names on the way to it; a name may have a dot of its own. */
  readonly steps: readonly string[];
  readonly column: AnyColumn;
  readonly mayBeMissing: boolean;
}

/** Every column, also those of value objects. */
export function flatColumns(
  columns: Columns,
  before: readonly string[] = [],
  mayBeMissing = false,
): readonly FlatColumn[] {
  return Object.entries(columns).flatMap(([name, member]) => {
    const steps = [...before, name];
    if (isValueObject(member)) return flatColumns(member.columns, steps, mayBeMissing || member.isNullable);
    return [{ path: steps.join("."), steps, column: member, mayBeMissing }];
  });
}

/** "street" of "address" as code would name one column: "addressStreet". */
export const codeName = ([first = "", ...others]: readonly string[]): string =>
  first + others.map((name) => name.charAt(0).toUpperCase() + name.slice(1)).join("");
