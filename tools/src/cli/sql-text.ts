import { createRequire } from "node:module";
import pc from "picocolors";

const require = createRequire(import.meta.url);

/** A statement's text in colours, where the terminal has them. */
export function coloured(text: string): string {
  if (!pc.isColorSupported) return text;
  // Loaded where it is of use: it is a third of what a command takes to start.
  const { highlight } = require("cli-highlight") as typeof import("cli-highlight");
  return highlight(text, {
    language: "sql",
    ignoreIllegals: true,
    theme: { keyword: pc.cyan, built_in: pc.magenta, string: pc.reset, number: pc.yellow, literal: pc.yellow },
  });
}
