import { addressOf } from "./platform.js";
/** A line of code. */
export interface CallSite {
  readonly file: string;
  readonly line: number;
  readonly column: number;
}

/** The rooms of the library; what lies outside of them is the user's. */
const rooms = [
  ...["errors", "columns", "expression", "model", "query", "plan", "sql", "run", "drivers", "work", "ledger", "schema"],
];

const plain = (file: string): string => decodeURI(file.replace(/^file:\/\//, ""));

/** The folder of the rooms, with a slash at its end. */
const home = plain(addressOf(import.meta).replace(/run\/[^/]*$/, ""));

const isOurs = (file: string): boolean => rooms.some((room) => file.startsWith(`${home}${room}/`));

/**
 * The line of the user's code that called the library: the first frame of the stack that lies in
 * none of its rooms. Undefined where the platform's stacks do not say, or all code was bundled into
 * one file.
 */
export function callSite(): CallSite | undefined {
  for (const frame of (new Error().stack ?? "").split("\n")) {
    const match = /(?:\(|at |@)?((?:file:\/\/|https?:\/\/|\/|[A-Za-z]:\\)[^()]*?):(\d+):(\d+)\)?$/.exec(frame.trim());
    if (match === null) continue;
    const file = plain(match[1] as string);
    if (!isOurs(file)) return { file, line: Number(match[2]), column: Number(match[3]) };
  }
  return undefined;
}
