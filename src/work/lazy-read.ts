/** What is not here yet: nothing is sent before it is awaited, however often it is touched. */
export class LazyRead implements PromiseLike<unknown> {
  readonly #load: () => Promise<unknown>;

  constructor(load: () => Promise<unknown>) {
    this.#load = load;
  }

  // biome-ignore lint/suspicious/noThenProperty: being awaited is what it is for
  then<A = unknown, B = never>(
    fulfilled?: ((value: unknown) => A | PromiseLike<A>) | null,
    rejected?: ((reason: unknown) => B | PromiseLike<B>) | null,
  ): Promise<A | B> {
    return this.#load().then(fulfilled, rejected);
  }
}
