export type { CallSite } from "./call-site.js";
export type { SentStatement } from "./connection.js";
export { connectionOf, Database, type DatabaseOptions, database } from "./database.js";
export type { Driver, Request, Run, WireRows } from "./driver.js";
export type { Page } from "./reads.js";
export type { Slice } from "./slice.js";
export type { Steps } from "./steps.js";
export type { Changes, ChangesOf, UpsertOptions } from "./write-types.js";
