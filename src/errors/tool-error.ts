import type { FaultNames } from "./faults.js";
import { type ErrorDetails, GemachError } from "./gemach-error.js";
import { type ToolFaults, toolFaults } from "./tool-faults.js";

/** An error of the command line or of migrations: a program that has neither does not load their texts. */
export const toolError = <C extends keyof ToolFaults>(
  code: C,
  names: FaultNames<C>,
  details: ErrorDetails = {},
): GemachError<C> => new GemachError(code, names, details, toolFaults()[code]);
