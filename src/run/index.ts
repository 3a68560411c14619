export type { CallSite } from "./call-site.js";
export { type Connection, connectionOf, Database, type DatabaseOptions, database } from "./database.js";
export type { Driver, Isolation, Request, Send, Session, Soon, TransactionSettings, WireRows } from "./driver.js";
export { controlOrigin, type Origin, type VerbOrigin } from "./origin.js";
export type { Portion } from "./portion.js";
export type { Page } from "./reads.js";
export type { Steps } from "./steps.js";
export type { BegunStatement, Observer, SentStatement } from "./watch.js";
