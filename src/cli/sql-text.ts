import { highlight } from "cli-highlight";
import pc from "picocolors";

/** A statement's text in colours, where the terminal has them. */
export const coloured = (text: string): string =>
  pc.isColorSupported
    ? highlight(text, {
        language: "sql",
        ignoreIllegals: true,
        theme: { keyword: pc.cyan, built_in: pc.magenta, string: pc.reset, number: pc.yellow, literal: pc.yellow },
      })
    : text;
