/**
 * The values of chunks one after the other. An async generator that hands on each value by itself would wait three
 * times for each; here a loop waits once.
 */
export function oneByOne<T>(chunks: AsyncGenerator<readonly T[], void, void>): AsyncIterableIterator<T> {
  let chunk: readonly T[] = [];
  let at = 0;
  const further = async (): Promise<IteratorResult<T>> => {
    for (;;) {
      const next = await chunks.next();
      if (next.done === true) return { value: undefined, done: true };
      [chunk, at] = [next.value, 0];
      if (chunk.length > 0) return { value: chunk[at++] as T, done: false };
    }
  };
  return {
    next: () => (at < chunk.length ? Promise.resolve({ value: chunk[at++] as T, done: false }) : further()),
    return: async () => {
      chunk = [];
      await chunks.return();
      return { value: undefined, done: true };
    },
    [Symbol.asyncIterator]() {
      return this;
    },
  };
}
