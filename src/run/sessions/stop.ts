import { platform, typeWord } from "../../columns/index.js";
import { GemachError } from "../../errors/index.js";
import { now } from "./now.js";

/** The part of an `AbortSignal` that is used. */
export interface Signal {
  readonly aborted: boolean;
  readonly reason?: unknown;
  addEventListener(type: "abort", listener: () => void): void;
  removeEventListener(type: "abort", listener: () => void): void;
}

/** Limits that end a verb or a transaction before its own end, on the server too where the engine can. */
export interface Limits {
  /** Ends it as soon as the signal is aborted: `ABORTED`, with the signal's reason as the cause. */
  readonly signal?: Signal | undefined;
  /** The most milliseconds that it may take, waiting for a connection included: `TIME_LIMIT_PASSED`. */
  readonly timeLimit?: number | undefined;
}

export const limitNames = ["signal", "timeLimit"] as const;

/** Whether anything ends a call before its own end. */
export const isLimited = ({ signal, timeLimit }: Limits): boolean => signal !== undefined || timeLimit !== undefined;

/** What a verb or a transaction asks on its way, and is told by. */
export interface Stop {
  /** The error to end with; undefined as long as it may go on. */
  error(): GemachError | undefined;
  /** @throws GemachError `ABORTED`, `TIME_LIMIT_PASSED` */
  check(): void;
  /** Calls a listener once it is time to end; gives the function that forgets it. */
  on(listener: () => void): () => void;
  /** Forgets timers and signals. */
  end(): void;
}

/** Waits so many milliseconds, or until it is time to end. */
export async function wait(milliseconds: number, stop: Stop | undefined): Promise<void> {
  let timer: unknown;
  const waited = new Promise<void>((resolve) => {
    timer = platform.setTimeout(resolve, milliseconds);
  });
  await orStopped(stop, waited).finally(() => platform.clearTimeout(timer));
}

const isSignal = (given: unknown): given is Signal =>
  typeof given === "object" && given !== null && "aborted" in given && "addEventListener" in given;

/**
 * What ends a call; `outer` ends it too.
 * @throws GemachError `VALUE_UNFIT`
 */
export function stopOf({ signal, timeLimit }: Limits, call: string, outer: Stop | undefined): Stop {
  if (timeLimit !== undefined && !(typeof timeLimit === "number" && timeLimit > 0 && timeLimit < 2 ** 31))
    throw new GemachError("VALUE_UNFIT", {
      column: `timeLimit of ${call}()`,
      expected: "milliseconds, a number above 0 and below 2^31",
      got: typeof timeLimit === "number" ? "another number" : typeWord(timeLimit),
    });
  if (signal !== undefined && !isSignal(signal))
    throw new GemachError("VALUE_UNFIT", {
      column: `signal of ${call}()`,
      expected: "an AbortSignal",
      got: typeWord(signal),
    });
  const listeners = new Set<() => void>();
  const endings: (() => void)[] = [];
  let stopped: GemachError | undefined;
  const stopBy = (error: GemachError): void => {
    if (stopped !== undefined) return;
    stopped = error;
    for (const listener of [...listeners]) listener();
  };
  const aborted = () => stopBy(new GemachError("ABORTED", { call }, { cause: signal?.reason }));
  const deferred = () => stopBy(new GemachError("TIME_LIMIT_PASSED", { call, milliseconds: timeLimit as number }));
  const deadline = timeLimit === undefined ? Number.POSITIVE_INFINITY : now() + timeLimit;
  if (timeLimit !== undefined) {
    const timer = platform.setTimeout(deferred, timeLimit);
    endings.push(() => platform.clearTimeout(timer));
  }
  if (signal?.aborted === true) aborted();
  else if (signal !== undefined) {
    signal.addEventListener("abort", aborted);
    endings.push(() => signal.removeEventListener("abort", aborted));
  }
  if (outer !== undefined) endings.push(outer.on(() => stopBy(outer.error() as GemachError)));
  const error = (): GemachError | undefined => {
    const above = outer?.error();
    if (above !== undefined) stopBy(above);
    // Where statements answer at once, no timer comes to its turn between them.
    else if (now() >= deadline) deferred();
    return stopped;
  };
  return {
    error,
    check: () => {
      const known = error();
      if (known !== undefined) throw known;
    },
    on: (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    end: () => {
      for (const ending of endings) ending();
    },
  };
}

/** What is waited for, unless it is time to end before; what comes afterwards is given back. */
export async function orStopped<T>(
  stop: Stop | undefined,
  work: T | Promise<T>,
  giveBack?: (deferred: T) => void,
): Promise<T> {
  if (stop === undefined || !(work instanceof Promise)) return await work;
  let forget = () => {};
  let isStopped = false;
  const stopped = new Promise<never>((_, reject) => {
    const refuse = () => {
      isStopped = true;
      reject(stop.error());
    };
    if (stop.error() === undefined) forget = stop.on(refuse);
    else refuse();
  });
  work.then(
    (deferred) => {
      if (isStopped) giveBack?.(deferred);
    },
    () => {},
  );
  return await Promise.race([work, stopped]).finally(forget);
}

/**
 * Does work that is cancelled where it is time to end, and waits for its end in any case: so a connection is never
 * given back in the middle of something. What was done in spite of that counts as done.
 */
export async function cancelling<T>(
  stop: Stop | undefined,
  work: () => Promise<T>,
  cancel: () => Promise<unknown>,
  isCancelled: (error: unknown) => boolean,
): Promise<T> {
  if (stop === undefined) return await work();
  stop.check();
  let cancelled: Promise<unknown> | undefined;
  const forget = stop.on(() => {
    cancelled = cancel();
  });
  try {
    return await work();
  } catch (error) {
    throw cancelled !== undefined && isCancelled(error) ? stop.error() : error;
  } finally {
    forget();
    await cancelled;
  }
}
