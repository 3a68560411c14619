import type { SentStatement } from "./watch.js";

/** A statement's values as a text that tells them from others. */
export const valuesText = ({ parameters }: SentStatement): string =>
  JSON.stringify(parameters, (_, part: unknown) => {
    if (typeof part === "bigint") return `${part}n`;
    return part instanceof Uint8Array ? part.join() : part;
  });
