/** The name under which a statement gets a value that the database handle gives to standing conditions. */
export const standingHole = (name: string): string => `standing ${name}`;
