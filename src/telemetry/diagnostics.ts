import { channel } from "node:diagnostics_channel";
import type { AnyDatabase } from "../database/index.js";
import { watchStatements } from "../ledger/index.js";

/** The names of the channels: of statements that begin, and of those that are done. */
export const channelNames = { begins: "gemach:statement:begins", ends: "gemach:statement:ends" } as const;

/**
 * Publishes every statement of a database on channels of `node:diagnostics_channel`, for tools that subscribe to them.
 * Where nobody does, nothing is worked out.
 * @returns the function that ends it.
 */
export function publishStatements(db: AnyDatabase): () => void {
  const [begins, ends] = [channel(channelNames.begins), channel(channelNames.ends)];
  return watchStatements(db, {
    begins: (statement) => {
      if (begins.hasSubscribers) begins.publish(statement);
    },
    ends: (statement) => {
      if (ends.hasSubscribers) ends.publish(statement);
    },
  });
}
