/** Numbers from a seed, evenly spread: the same seed gives the same numbers everywhere. */
export interface Random {
  /** A whole number from 0 to `below` - 1. */
  whole(below: number): number;
  /** True in so many of a hundred cases. */
  chance(percent: number): boolean;
  /** One of the list. */
  pick<T>(list: readonly T[]): T;
}

/** A generator of 32 bits of state: a Weyl sequence, scrambled by multiplying and shifting. */
export function randomFrom(seed: number): Random {
  let state = seed >>> 0;
  const next = (): number => {
    state = (state + 0x6d2b79f5) >>> 0;
    let mixed = Math.imul(state ^ (state >>> 15), state | 1);
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61);
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4294967296;
  };
  const whole = (below: number) => Math.floor(next() * below);
  return {
    whole,
    chance: (percent) => next() * 100 < percent,
    pick: (list) => list[whole(list.length)] as (typeof list)[number],
  };
}
