import type { FaultNames } from "./faults.js";
import { type ErrorDetails, GemachError } from "./gemach-error.js";
import { type WorkFaults, workFaults } from "./work-faults.js";

/** An error of a unit of work: a program that has none does not load its text. */
export const workError = <C extends keyof WorkFaults>(
  code: C,
  names: FaultNames<C>,
  details: ErrorDetails = {},
): GemachError<C> => new GemachError(code, names, details, workFaults()[code]);
