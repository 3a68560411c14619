/**
 * The values of chunks one after the other. An async generator that hands on each value by itself would wait three
 * times for each; here a loop waits once. Several readers may take values at once: calls that wait for a chunk wait for
 * each other.
 */
export function oneByOne<T>(chunks: AsyncGenerator<readonly T[], void, void>): AsyncIterableIterator<T> {
  let chunk: readonly T[] = [];
  let at = 0;
  let waiting = 0;
  let last: Promise<unknown> = Promise.resolve();
  const others = async (): Promise<IteratorResult<T>> => {
    // Whoever asked before may have brought what this one takes.
    if (at < chunk.length) return { value: chunk[at++] as T, done: false };
    for (;;) {
      const next = await chunks.next();
      if (next.done === true) return { value: undefined, done: true };
      [chunk, at] = [next.value, 0];
      if (chunk.length > 0) return { value: chunk[at++] as T, done: false };
    }
  };
  const inTurn = (): Promise<IteratorResult<T>> => {
    waiting++;
    const before = last;
    const answer = before.then(others).finally(() => {
      waiting--;
    });
    last = answer.catch(() => {});
    return answer;
  };
  return {
    next: () =>
      waiting === 0 && at < chunk.length ? Promise.resolve({ value: chunk[at++] as T, done: false }) : inTurn(),
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
