import { platform } from "../columns/index.js";

/** The first 32 bits of the fractional parts of a root of the first primes (FIPS 180-4, 4.2.2 and 5.3.3). */
function rootsOf(count: number, root: (prime: number) => number): Uint32Array {
  const found = new Uint32Array(count);
  let size = 0;
  for (let number = 2; size < count; number++) {
    let isPrime = true;
    for (let divisor = 2; divisor * divisor <= number; divisor++) if (number % divisor === 0) isPrime = false;
    if (isPrime) found[size++] = (root(number) % 1) * 2 ** 32;
  }
  return found;
}

let constants: { readonly rounds: Uint32Array; readonly start: Uint32Array } | undefined;

const turned = (word: number, by: number): number => (word >>> by) | (word << (32 - by));

/** A message with its padding (FIPS 180-4, 5.1.1). */
function paddedBytes(text: string): DataView {
  const message = new platform.TextEncoder().encode(text);
  const padded = new Uint8Array(Math.ceil((message.length + 9) / 64) * 64);
  padded.set(message);
  padded[message.length] = 0x80;
  const view = new DataView(padded.buffer);
  view.setUint32(padded.length - 8, Math.floor(message.length / 2 ** 29));
  view.setUint32(padded.length - 4, message.length << 3);
  return view;
}

/**
 * SHA-256 of a text's UTF-8, as 64 hexadecimal digits (FIPS 180-4, 6.2): drivers import nothing from the platform, and
 * the web's own digest answers later.
 */
export function sha256(text: string): string {
  constants ??= { rounds: rootsOf(64, Math.cbrt), start: rootsOf(8, Math.sqrt) };
  const { rounds, start } = constants;
  const state = Uint32Array.from(start);
  const view = paddedBytes(text);
  const words = new Uint32Array(64);
  for (let at = 0; at < view.byteLength; at += 64) {
    for (let i = 0; i < 16; i++) words[i] = view.getUint32(at + i * 4);
    const word = (i: number): number => words[i] as number;
    for (let i = 16; i < 64; i++) {
      const [a, b] = [word(i - 15), word(i - 2)];
      const mixed = (turned(a, 7) ^ turned(a, 18) ^ (a >>> 3)) + (turned(b, 17) ^ turned(b, 19) ^ (b >>> 10));
      words[i] = mixed + word(i - 16) + word(i - 7);
    }
    let [a = 0, b = 0, c = 0, d = 0, e = 0, f = 0, g = 0, h = 0] = state;
    for (let i = 0; i < 64; i++) {
      const chosen = (turned(e, 6) ^ turned(e, 11) ^ turned(e, 25)) + ((e & f) ^ (~e & g));
      const first = (h + chosen + (rounds[i] as number) + word(i)) | 0;
      const second = (turned(a, 2) ^ turned(a, 13) ^ turned(a, 22)) + ((a & b) ^ (a & c) ^ (b & c));
      [h, g, f, e, d, c, b, a] = [g, f, e, (d + first) | 0, c, b, a, (first + second) | 0];
    }
    for (const [i, word] of [a, b, c, d, e, f, g, h].entries()) state[i] = (state[i] as number) + word;
  }
  return Array.from(state, (word) => word.toString(16).padStart(8, "0")).join("");
}
