/** One fault: what it says of the names involved, and what to do about it. */
export interface Fault<N> {
  readonly fault: (names: N) => string;
  readonly remedy: string | ((names: N) => string);
}

/** Defines a fault. */
export const define = <N>(fault: (names: N) => string, remedy: Fault<N>["remedy"]): Fault<N> => ({ fault, remedy });
