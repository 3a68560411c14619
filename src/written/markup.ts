import { oneLine, visible } from "./visible.js";

const xmlCodes: Readonly<Record<string, string>> = {
  "&": "&amp;",
  "<": "&lt;",
  ">": "&gt;",
  '"': "&quot;",
  "'": "&#39;",
};

/** Text of XML, or the value of an attribute. */
export const xmlText = (text: string): string =>
  visible(text).replaceAll(/[&<>"']/g, (sign) => xmlCodes[sign] as string);

/** Text of Markdown on one line, in which nothing is markup. */
export const markdownText = (text: string): string =>
  oneLine(text).replaceAll(/[\\`*_{}[\]<>#|~&]/g, (sign) => `\\${sign}`);

/** So many backticks as stand nowhere in a text, and at least these. */
const ticks = (text: string, least: number): string =>
  "`".repeat(Math.max(least, ...[...text.matchAll(/`+/g)].map(([run]) => run.length + 1)));

/** A piece of code within a line of Markdown. */
export function markdownCode(text: string): string {
  const line = oneLine(text);
  const fence = ticks(line, 1);
  return fence === "`" ? `\`${line}\`` : `${fence} ${line} ${fence}`;
}

/** A block of code in Markdown. */
export function markdownBlock(text: string, language: string): string {
  const fence = ticks(text, 3);
  return `${fence}${language}\n${text}\n${fence}`;
}

/** A word of a diagram in Mermaid, where quotes and signs of any kind have a meaning. */
export const mermaidWord = (text: string): string => {
  const word = text.replaceAll(/[^\p{L}\p{N}_-]/gu, "_");
  return /^[\p{L}_]/u.test(word) ? word : `_${word}`;
};

/** A text between quotes of a diagram in Mermaid. */
export const mermaidText = (text: string): string =>
  `"${oneLine(text).replaceAll(/[#"\\<>&;%`]/g, (sign) => `#${sign.charCodeAt(0)};`)}"`;
