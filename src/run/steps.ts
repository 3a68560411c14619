import type { Request, WireRows } from "./driver.js";

/** Work that asks for statements to be sent and goes on with their rows. */
export type Steps<R> = Generator<Request, R, WireRows>;
