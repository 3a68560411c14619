import { define } from "./define.js";

/** Faults of live entities, and of rows that others have changed. */
export const liveFaults = () =>
  ({
    OUTSIDE_REACH: define(
      (n: {
        entity: string;
        name: string;
        at?: string | undefined;
        reach: string;
        isEnded: boolean;
        isRelation: boolean;
      }) =>
        `${n.entity}.${n.name} was read, which ${n.isEnded ? "is not loaded, and the unit of work has ended" : "the query did not bring, and loading it is refused"}${n.at === undefined ? "" : ` (the ${n.entity} was fetched at ${n.at})`}.`,
      (n) =>
        `Add it to the query: ${n.reach}${n.isEnded ? "; or read it before the unit of work ends" : '; or allow it with .outside("load")'}.`,
    ),
    LIVE_EXPECTED: define(
      (n: { call: string; expected: string; got: string }) =>
        `${n.call} takes ${n.expected} of this unit of work, but got ${n.got}.`,
      "Use entities that this unit of work brought, or added.",
    ),
    CONFLICT: define(
      (n: { entity: string; key?: string | undefined; versions?: string | undefined }) =>
        `A row of ${n.entity}${n.key === undefined ? "" : ` (${n.key})`} was changed or deleted by another one since it was read${n.versions === undefined ? "" : `: ${n.versions}`}.`,
      "Read it again, and decide anew; nothing of this unit of work was written.",
    ),
  }) as const;
