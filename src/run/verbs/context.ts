import type { ParameterValues, Query, QueryState } from "../../ir/index.js";
import type { Compiler } from "../cache/compiler.js";
import type { MaybePromise } from "../sessions/driver.js";
import type { Atomicity, Sender } from "../sessions/sender.js";
import type { Steps } from "../sessions/steps.js";
import { isLimited, type Limits, stopOf } from "../sessions/stop.js";
import { callSite } from "../watching/call-site.js";
import type { VerbOrigin } from "../watching/origin.js";

/** Frames between the place where the stack is taken and the caller of a verb: `callSite`, `originOf`, the verb. */
const framesBetween = 4;

/** Makes more of rows than plain ones: a unit of work. */
export interface LiveReading {
  /** Writes what a statement of any tables might miss. */
  written(): Promise<void>;
  /** The query to send in place of one, once what it might miss is written. */
  ready(state: QueryState): MaybePromise<QueryState>;
  /** Returns what the query's rows become, where the handle makes more of them. */
  rows(state: QueryState, rows: readonly unknown[], origin: VerbOrigin): MaybePromise<readonly unknown[]>;
}

/** The state that all verbs share: the compiler, one for all that sends to one database, and the sender. */
export interface Context {
  readonly compiler: Compiler;
  readonly sender: Sender;
  /** Whether all statements of one query are to see one state of the data. */
  readonly isSnapshot: boolean;
  /** Whether verbs that write are refused. */
  readonly isReadOnly: boolean;
  /** Whether all that is sent is part of one transaction. */
  readonly isTransaction: boolean;
  readonly live?: LiveReading;
  /** What the handle gives to standing conditions. */
  readonly values?: ParameterValues | undefined;
}

/** What a query's placeholders get: of its template, and of the handle. */
export function valuesFor({ values }: Context, { given }: Pick<QueryState, "given">): ParameterValues | undefined {
  if (values === undefined) return given?.values;
  return given === undefined ? values : new Map([...values, ...given.values]);
}

/** What placeholders get: of the handle, and of values that a statement gets in any case. */
export const givenWith = ({ values }: Context, given: ParameterValues): ParameterValues =>
  values === undefined ? given : new Map([...values, ...given]);

/** Does what a verb does, as long as its limits let it. */
export function run<R>(
  context: Context,
  steps: () => Steps<R>,
  atomicity: Atomicity,
  origin: VerbOrigin,
  limits: Limits,
): MaybePromise<R> {
  if (context.sender.watch.isWatched()) return watched(context, steps, atomicity, origin, limits);
  // Each asynchronous function on the way took a twentieth of a single write (SQLite).
  return isLimited(limits)
    ? limited(context, steps, atomicity, origin, limits)
    : context.sender.run(steps, atomicity, origin);
}

async function watched<R>(
  context: Context,
  steps: () => Steps<R>,
  atomicity: Atomicity,
  origin: VerbOrigin,
  limits: Limits,
): Promise<R> {
  const { watch } = context.sender;
  const started = watch.clock();
  try {
    return await (isLimited(limits)
      ? limited(context, steps, atomicity, origin, limits)
      : context.sender.run(steps, atomicity, origin));
  } finally {
    const milliseconds = watch.clock() - started;
    watch.tell((observer) => observer.called?.({ origin, started, milliseconds }));
  }
}

async function limited<R>(
  { sender }: Context,
  steps: () => Steps<R>,
  atomicity: Atomicity,
  origin: VerbOrigin,
  limits: Limits,
): Promise<R> {
  const stop = stopOf(limits, origin.verb, sender.stop);
  try {
    return await sender.run(steps, atomicity, origin, stop);
  } finally {
    stop.end();
  }
}

export const noLimits: Limits = Object.freeze({});

/** Numbers calls, so that their statements can be told from those of others. */
let calls = 0;

/** Who asked for what; `verb` is the very method that runs. */
export function originOf({ sender }: Context, name: string, verb: unknown, query?: Query): VerbOrigin {
  if (!sender.watch.isWatched()) return { verb: name, query, at: undefined };
  return { verb: name, query, at: callSite(verb, framesBetween), call: ++calls };
}
