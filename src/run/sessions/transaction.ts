import type { MaybePromise, Session, TransactionSettings } from "./driver.js";

/** Undoes a transaction; true where that failed too, so that the connection is not to be used again. */
async function undo(session: Session): Promise<boolean> {
  try {
    await session.rollback();
    return false;
  } catch {
    return true;
  }
}

/**
 * Does work in a transaction of a session of its own: all or nothing. The work is awaited before anything is committed,
 * and a commit that fails is rolled back, so that no transaction stays open. The session is closed in any case.
 * @param uncommitted makes of a commit's error what is thrown.
 */
export async function transact<R>(
  session: Session,
  settings: TransactionSettings,
  work: () => MaybePromise<R>,
  uncommitted: (error: unknown) => unknown = (error) => error,
): Promise<R> {
  let isBroken = true;
  let hasBegun = false;
  try {
    await session.begin(settings);
    hasBegun = true;
    const result = await work();
    try {
      await session.commit();
    } catch (error) {
      throw uncommitted(error);
    }
    isBroken = false;
    return result;
  } catch (error) {
    isBroken = hasBegun ? await undo(session) : false;
    throw error;
  } finally {
    session.close(isBroken);
  }
}

/**
 * Does work in a transaction where the engine answers at once, and the work with it: nothing else can come in between.
 */
export function transactAtOnce<R>(session: Session, settings: TransactionSettings, work: () => R): R {
  let hasBegun = false;
  try {
    session.begin(settings);
    hasBegun = true;
    const result = work();
    session.commit();
    return result;
  } catch (error) {
    if (hasBegun) rollBack(session);
    throw error;
  } finally {
    session.close(false);
  }
}

/** A trigger, or a full disk, may have ended the transaction: the error that did it is what counts. */
function rollBack(session: Session): void {
  try {
    session.rollback();
  } catch {}
}
