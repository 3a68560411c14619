import type { Codec, StandardSchema } from "gemach";

/** Money, in whole cents. */
export class Euros {
  readonly cents: number;

  constructor(cents: number) {
    this.cents = cents;
  }
}

/** Money in a column of decimals. */
export const euros: Codec<string, Euros> = {
  decode: (digits) => new Euros(Math.round(Number(digits) * 100)),
  encode: ({ cents }) => (cents / 100).toFixed(2),
};

/** A reservation as the domain sees it: it knows nothing of tables. */
export class Reservation {
  declare readonly id: string;
  declare readonly itemId: number;
  declare readonly memberId: number;
  declare readonly begins: string;
  declare readonly ends: string;
  declare readonly days: number;
  declare readonly deposit: Euros;
  declare readonly handover: { readonly place: string; readonly at: string | null } | null;
  declare readonly wishes: readonly string[];
  declare readonly code: string;
  declare readonly scans: bigint;
  declare readonly made: string;

  /** Whether the thing is away on a day. */
  covers(day: string): boolean {
    return this.begins <= day && day <= this.ends;
  }
}

interface Platform {
  readonly crypto: { randomUUID(): string };
}

/** A UUID that code makes. */
export const newUuid = (): string => (globalThis as Platform).crypto.randomUUID();

/** A place that somebody can find. */
export const noWildGuess: StandardSchema<string> = {
  "~standard": {
    version: 1,
    vendor: "lending society",
    validate: (position) =>
      typeof position === "string" && position.includes("?")
        ? { issues: [{ message: "says where, not perhaps where" }] }
        : { value: position as string },
  },
};
