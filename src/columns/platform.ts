/** The parts of every platform that the language's own library does not describe. */
interface Platform {
  readonly performance: { now(): number };
  setTimeout(work: () => void, milliseconds: number): unknown;
  clearTimeout(timer: unknown): void;
  btoa(bytes: string): string;
  atob(text: string): string;
  readonly TextEncoder: new () => { encode(text: string): Uint8Array };
  /** Node alone has it, which the drivers of servers run on. */
  readonly Buffer: { from(bytes: ArrayBufferLike, at: number, length: number): Uint8Array };
}

export const platform = globalThis as unknown as Platform;
