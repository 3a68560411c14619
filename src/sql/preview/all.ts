import { previewList, readingPreviews } from "./preview.js";
import { writingPreviews } from "./preview-writes.js";

/**
 * The statements that a verb of a database will send, without one and without sending any: `preview(query, { dialect
 * })` for `list`, `preview.count(query, { dialect })` and its like for the others. A statement is left out when it runs
 * if there are no keys for it.
 * @throws GemachError `DIALECT_EXPECTED`, and what the verb itself throws before it sends anything
 */
export const preview = Object.assign(previewList, readingPreviews, writingPreviews);
