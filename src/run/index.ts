export { Compiler } from "./cache/compiler.js";
export { canGenerateCode } from "./rows/row-constructor.js";
export { type AsyncContext, asyncContext } from "./sessions/async-context.js";
export { type Connection, connectionKey, connectionOf } from "./sessions/connections.js";
export {
  andThen,
  type Driver,
  type Isolation,
  type MaybePromise,
  type Request,
  type Send,
  type Session,
  type TransactionSettings,
  type WireRows,
} from "./sessions/driver.js";
export { insideOf, refuseInside } from "./sessions/exclusive.js";
export { now } from "./sessions/now.js";
export { opened } from "./sessions/opened.js";
export { sendOwn } from "./sessions/own-statement.js";
export { poolSender, type Sender } from "./sessions/sender.js";
export { type SessionSender, savepointName, sessionSender, undoQuietly } from "./sessions/session-sender.js";
export type { Steps } from "./sessions/steps.js";
export {
  cancelling,
  isLimited,
  type Limits,
  limitNames,
  orStopped,
  type Signal,
  type Stop,
  stopOf,
  wait,
} from "./sessions/stop.js";
export { transact } from "./sessions/transaction.js";
export { type Context, type LiveReading, noLimits, run } from "./verbs/context.js";
export { readHiddenChecks } from "./verbs/hidden.js";
export { onDemand } from "./verbs/late.js";
export type { Page } from "./verbs/paging.js";
export type { Portion } from "./verbs/portion.js";
export { completed } from "./verbs/reach.js";
export { rowsOfQuery, stepsOfQuery } from "./verbs/reading.js";
export { Reads } from "./verbs/reads.js";
export { tellingError } from "./verbs/telling.js";
export { type InsertProgress, type Returned, type Returning, Verbs } from "./verbs/verbs.js";
export type { Written as WrittenPlan } from "./verbs/violated.js";
export { conflict, writeKeyed, writing } from "./verbs/write.js";
export { type CallSite, callSite } from "./watching/call-site.js";
export type { ExplainedStatement, ExplainOptions } from "./watching/explain.js";
export { controlOrigin, type Origin, planVerb, type VerbOrigin } from "./watching/origin.js";
export { valuesText } from "./watching/values-text.js";
export {
  type BegunStatement,
  type DoneCall,
  type DoneTransaction,
  type Observer,
  type SentStatement,
  type Watch,
  watch,
} from "./watching/watch.js";
