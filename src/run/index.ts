export type { Wire } from "../sql/index.js";
export type { CallSite } from "./call-site.js";
export type { Connection, Observer, SentStatement } from "./connection.js";
export { connectionOf, type Database, type DatabaseOptions, database } from "./database.js";
export type { Driver, Request, Run, WireRows } from "./driver.js";
export type { Steps } from "./fetch.js";
