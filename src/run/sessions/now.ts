import { platform } from "../../columns/index.js";

/** Milliseconds since some moment. */
export const now = (): number => platform.performance.now();
