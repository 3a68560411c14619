import type { Fault } from "./define.js";
import { type FaultCode, type FaultNames, faults } from "./faults.js";

const brand = Symbol.for("gemach.error");

/** The details of an error beside its message. */
export interface ErrorDetails {
  /** The error that a driver or the platform threw. */
  readonly cause?: unknown;
  /** The code by which the database's server calls the fault, for example an SQLSTATE. */
  readonly serverCode?: string | undefined;
}

/**
 * The one error of this library. `code` is stable and says which fault it is; `names` holds the
 * entities, columns and files involved, never a value that was on its way to or from a database.
 * `instanceof` holds across two copies of the library.
 */
export class GemachError<C extends FaultCode = FaultCode> extends Error {
  readonly code: C;
  readonly names: FaultNames<C>;
  /** What to do about it, also the end of the message. */
  readonly remedy: string;
  readonly serverCode: string | undefined;

  /** `text`: what it says, where that is not among the texts that every program has. */
  constructor(code: C, names: FaultNames<C>, details: ErrorDetails = {}, text?: Fault<never>) {
    const { fault, remedy: advice } = (text ?? faults()[code as keyof ReturnType<typeof faults>]) as Fault<unknown>;
    const remedy = typeof advice === "string" ? advice : advice(names);
    super(`${fault(names)}\n${remedy}`, "cause" in details ? { cause: details.cause } : {});
    this.name = "GemachError";
    this.code = code;
    this.names = names;
    this.remedy = remedy;
    this.serverCode = details.serverCode;
  }

  /**
   * Whether it is of a code; then its names are those of the code: `if (error.is("UNIQUE_VIOLATED"))
   * error.names.columns`.
   */
  is<K extends FaultCode>(code: K): this is GemachError<K> {
    return (this.code as FaultCode) === code;
  }

  get [brand](): true {
    return true;
  }

  /** The one code that errors of a class have; undefined: any. */
  static readonly only: FaultCode | undefined = undefined;

  static override [Symbol.hasInstance](value: unknown): boolean {
    // biome-ignore-start lint/complexity/noThisInStatic: the class that is asked, which may be one of a single code
    const error = Object(value) as { [brand]?: unknown; code?: unknown };
    return error[brand] === true && (this.only === undefined || this.only === error.code);
    // biome-ignore-end lint/complexity/noThisInStatic: as above
  }
}
