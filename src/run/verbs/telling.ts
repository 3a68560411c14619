import { GemachError } from "../../errors/index.js";
import type { MaybePromise } from "../sessions/driver.js";
import type { Context } from "./context.js";
import { onDemand } from "./late.js";
import type { Violation, Written } from "./violated.js";

const isViolation = (error: unknown): error is Violation =>
  error instanceof GemachError && (error.code === "UNIQUE_VIOLATED" || error.code === "FOREIGN_KEY_VIOLATED");

/**
 * The error of a write as it is to be thrown: that of a broken constraint names the entity and its columns, on every
 * engine.
 */
export async function tellingError(context: Context, plan: Written | undefined, error: unknown): Promise<unknown> {
  if (!isViolation(error) || plan === undefined) return error;
  const { detailed } = await onDemand();
  // Where the database cannot be asked any more, its own error is what counts.
  return await detailed(context, plan, error).catch(() => error);
}

/** Does a write of a plan; see `tellingError`. */
export function telling<R>(context: Context, plan: Written | undefined, write: () => MaybePromise<R>): MaybePromise<R> {
  const told = async (error: unknown): Promise<never> => {
    throw await tellingError(context, plan, error);
  };
  try {
    const answer = write();
    return answer instanceof Promise ? answer.catch(told) : answer;
  } catch (error) {
    return told(error);
  }
}
