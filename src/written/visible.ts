/** Signs that nobody sees, and that end lines, turn the order of letters or are read as commands by terminals. */
const unseen =
  /[\p{Cc}\p{Zl}\p{Zp}\p{Cs}\u061c\u200e\u200f\u202a-\u202e\u2060-\u206f\ufeff\ufff9-\uffff\u{e0000}-\u{e007f}]/gu;

const codeOf = (sign: string): string => `\\u{${(sign.codePointAt(0) as number).toString(16)}}`;

/**
 * A name or text that others chose, with what nobody would see of it written as a code: line ends, controls, marks of
 * direction.
 */
export const visible = (text: string): string => text.replaceAll(unseen, codeOf);

/** Makes a text visible on one line: white space of any kind is a space. */
export const oneLine = (text: string): string => visible(text.replaceAll(/\s+/g, " ").trim());

/** Makes a text of several lines visible. */
export const visibleLines = (text: string): string =>
  text.replaceAll(unseen, (sign) => (sign === "\n" || sign === "\t" ? sign : codeOf(sign)));

/**
 * Text of JSON or of a literal of JavaScript, in which every sign that nobody sees is an escape; its own line ends
 * stay.
 */
export const escaped = (text: string): string =>
  text.replaceAll(unseen, (sign) =>
    sign === "\n" || sign === "\t"
      ? sign
      : Array.from(sign.split(""), (unit) => `\\u${unit.charCodeAt(0).toString(16).padStart(4, "0")}`).join(""),
  );
