import type { ValueType } from "../columns/index.js";

/** How a function of a row among others works; its name in SQL is the same everywhere. */
export interface WindowRule {
  /** The type of its value; undefined: that of its first operand. */
  readonly type: ValueType | undefined;
  /** Whether it may be null; undefined: as its first operand. */
  readonly isNullable: boolean | undefined;
  /** Whether it is of all rows of the partition, and not of those up to the row. */
  readonly isOfAll: boolean;
}

const ofWhole = { type: { kind: "integer" }, isNullable: false, isOfAll: false } as const;
const ofOperand = { type: undefined, isNullable: undefined, isOfAll: false } as const;

/** All functions of a row among others. */
export const windowRules = {
  rowNumber: ofWhole,
  rank: ofWhole,
  denseRank: ofWhole,
  percentRank: { ...ofWhole, type: { kind: "double" } },
  ntile: ofWhole,
  lag: { ...ofOperand, isNullable: true },
  lead: { ...ofOperand, isNullable: true },
  firstValue: ofOperand,
  lastValue: { ...ofOperand, isOfAll: true },
} as const satisfies Record<string, WindowRule>;

/** The name of a function of a row among others. */
export type WindowName = keyof typeof windowRules;
