/** Does one piece of work after the other, in the order in which they come. */
export function inTurnOfOne() {
  const waiting: (() => void)[] = [];
  let isBusy = false;
  return async <T>(work: () => Promise<T>): Promise<T> => {
    if (isBusy) await new Promise<void>((resolve) => waiting.push(resolve));
    isBusy = true;
    try {
      return await work();
    } finally {
      const next = waiting.shift();
      if (next === undefined) isBusy = false;
      else next();
    }
  };
}
