import type { AnyDatabase } from "../../database/index.js";
import { connectionOf, sendOwn, type WireRows } from "../../run/index.js";

/** Sends a text of SQL past the builder. */
export const sendText = (db: AnyDatabase, text: string, purpose: string): Promise<WireRows> =>
  sendOwn(connectionOf(db, "apply").sender, text, purpose);
