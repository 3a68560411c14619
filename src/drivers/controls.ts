import { typeWord } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { controlOrigin, type MaybePromise, type Request, type Session } from "../run/index.js";

/** Sends a request whose answer is of no interest. */
type Control = (request: Request) => MaybePromise<unknown>;

/** Sends statements that give nothing, such as those that begin and end transactions. */
export const sendText = (send: Control, text: string): MaybePromise<unknown> =>
  send({ text, parameters: [], origin: controlOrigin(text), once: true });

/** Makes a session's commands of savepoints, the same on every engine. */
export const savepoints = (send: Control): Pick<Session, "savepoint" | "release" | "rollbackTo"> => ({
  savepoint: (name) => sendText(send, `savepoint ${name}`),
  release: (name) => sendText(send, `release savepoint ${name}`),
  rollbackTo: (name) => {
    const undone = sendText(send, `rollback to savepoint ${name}`);
    const release = () => sendText(send, `release savepoint ${name}`);
    return undone instanceof Promise ? undone.then(release) : release();
  },
});

/** Makes a session's commands of its own transaction. */
export const ownTransaction = (send: Control): Pick<Session, "commit" | "rollback"> => ({
  commit: () => sendText(send, "commit"),
  rollback: () => sendText(send, "rollback"),
});

/** The savepoint in place of a transaction inside of one that the caller opened on his own handle. */
export const nestedName = "gemach_nested";

/** Makes a session's commands inside of a transaction of the caller's. */
export const nestedTransaction = (send: Control): Pick<Session, "commit" | "rollback"> => ({
  commit: () => savepoints(send).release(nestedName),
  rollback: () => savepoints(send).rollbackTo(nestedName),
});

/**
 * Refuses what is no handle of a driver's package.
 * @throws GemachError `HANDLE_EXPECTED`
 */
export function expectHandle(call: string, handle: unknown, methods: readonly string[], expected: string): void {
  const isWhole =
    (typeof handle === "object" || typeof handle === "function") &&
    handle !== null &&
    methods.every((name) => typeof (handle as Readonly<Record<string, unknown>>)[name] === "function");
  if (!isWhole) throw new GemachError("HANDLE_EXPECTED", { call, expected, got: typeWord(handle) });
}
