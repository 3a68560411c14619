import { text } from "../../src/index.js";

/** What an application makes of a key: told apart by its own private field alone. */
export class Code {
  readonly #value: string;
  constructor(value: string) {
    this.#value = value;
  }
  static of(code: Code): string {
    return code.#value;
  }
}
export const coded = text.as({ decode: (value: string) => new Code(value), encode: Code.of });
