/** A line of code. */
export interface CallSite {
  readonly file: string;
  readonly line: number;
  readonly column: number;
}

/**
 * The part of V8 beyond the standard that is used: a stack without the frames of a function and of all that it called.
 */
interface StackCapture {
  captureStackTrace?(target: { stack?: string }, below: unknown): void;
}

const framePattern = /(?:\(|at |@)?((?:file:\/\/|https?:\/\/|\/|[A-Za-z]:\\)[^()]*?):(\d+):(\d+)\)?$/;

const plain = (file: string): string => decodeURI(file.replace(/^file:\/\//, ""));

/**
 * The line of code that called `verb`, a function of the library that runs right now. Told by the function itself, not
 * by its file, so that it is right in code bundled into one file too. On an engine that cannot leave out frames:
 * `depth` frames lie between here and the caller. Undefined where the platform's stacks do not say.
 */
export function callSite(verb: unknown, depth: number): CallSite | undefined {
  const held: { stack?: string } = {};
  const { captureStackTrace } = Error as StackCapture;
  if (captureStackTrace !== undefined) captureStackTrace(held, verb);
  else held.stack = (new Error().stack ?? "").split("\n").slice(depth).join("\n");
  for (const frame of (held.stack ?? "").split("\n")) {
    const match = framePattern.exec(frame.trim());
    if (match !== null) return { file: plain(match[1] as string), line: Number(match[2]), column: Number(match[3]) };
  }
  return undefined;
}
