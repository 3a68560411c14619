import { GemachError } from "../errors/index.js";

/** Thrown by a live entity where something outside of its query's reach is read and may not be loaded. */
export class OutsideReachError extends GemachError<"OUTSIDE_REACH"> {
  static override readonly only = "OUTSIDE_REACH";

  constructor(names: GemachError<"OUTSIDE_REACH">["names"]) {
    super("OUTSIDE_REACH", names);
    this.name = "OutsideReachError";
  }
}
