export { type AsyncContext, asyncContext } from "./async-context.js";
export { Compiler } from "./cache/compiler.js";
export { type CallSite, callSite } from "./call-site.js";
export { type Connection, connectionKey, connectionOf } from "./connections.js";
export { type Context, type Living, noLimits, rowsOfQuery, run, stepsOfQuery } from "./context.js";
export {
  andThen,
  type Driver,
  type Isolation,
  type Request,
  type Send,
  type Session,
  type Soon,
  type TransactionSettings,
  type WireRows,
} from "./driver.js";
export type { ExplainedStatement, ExplainOptions } from "./explain.js";
export { readHiddenChecks } from "./hidden.js";
export { onDemand } from "./late.js";
export { insideOf, refuseInside } from "./lone.js";
export { opened } from "./opened.js";
export { controlOrigin, type Origin, planVerb, type VerbOrigin } from "./origin.js";
export { sendOwn } from "./own-statement.js";
export { now } from "./platform.js";
export type { Portion } from "./portion.js";
export { completed } from "./reach.js";
export { type Page, Reads } from "./reads.js";
export { canGenerateCode } from "./row-constructor.js";
export { poolSender, type Sender } from "./sender.js";
export { type SessionSender, savepointName, sessionSender } from "./session-sender.js";
export type { Steps } from "./steps.js";
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
} from "./stop.js";
export { tellingError } from "./telling.js";
export { transact } from "./transaction.js";
export { valuesText } from "./values-text.js";
export { type InsertProgress, Verbs } from "./verbs.js";
export type { Written as WrittenPlan } from "./violated.js";
export {
  type BegunStatement,
  type DoneCall,
  type DoneTransaction,
  type Observer,
  type SentStatement,
  type Watch,
  watch,
} from "./watch.js";
export { conflict, writeKeyed, writing } from "./write.js";
