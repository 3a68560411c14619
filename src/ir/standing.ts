import type { StandingCondition } from "./resolved.js";

/** Whether a standing condition's value is one that the database handle gives, rather than one of the model's. */
export const isGiven = (value: StandingCondition["value"]): value is { readonly given: string } =>
  typeof value === "object" && value !== null && "given" in value;

/** The name under which a statement gets a value that the database handle gives to standing conditions. */
export const standingHole = (name: string): string => `standing ${name}`;
