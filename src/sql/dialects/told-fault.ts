import { type ErrorDetails, GemachError } from "../../errors/index.js";

/** Faults for which an engine has words of its own. */
export type ToldFault =
  | "PERMISSION_DENIED"
  | "VALUE_BEYOND_COLUMN"
  | "WRITE_BARRED"
  | "TRIGGER_REFUSED"
  | "SERVER_READ_ONLY"
  | "SERVER_UNREADY";

/** Makes faults in an engine's own words, by what these are and what else is known. */
export const tellingOf =
  <E>(engine: string, reasonOf: (error: E) => string, detailsOf: (error: E) => ErrorDetails) =>
  (code: ToldFault) =>
  (error: E): GemachError =>
    new GemachError(code, { engine, reason: reasonOf(error) }, detailsOf(error));
