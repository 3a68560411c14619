import type { DialectName } from "../../sql/index.js";

/**
 * A piece of SQL: `word`: a name or a keyword without quotes, in small letters; `name`: a name in quotes; `string`,
 * `number`: a literal; `sign`: an operator or a mark of punctuation; `remark`: a comment.
 */
export interface Token {
  readonly kind: "word" | "name" | "string" | "number" | "sign" | "remark";
  /** Without its quotes and their escapes. */
  readonly text: string;
  /** Where it stands in the text, up to before `end`. */
  readonly start: number;
  readonly end: number;
}

const wordStart = /[\p{L}_\u0080-\uffff]/u;
const word = /[\p{L}\p{N}_$\u0080-\uffff]+/uy;
const number = /0[xX][0-9a-fA-F]+|(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?/y;
const dollarTag = /\$(?:[\p{L}_][\p{L}\p{N}_]*)?\$/uy;
const signs = [
  "!~~*",
  "!~*",
  "!~~",
  "~~*",
  "<=>",
  "::",
  "<=",
  ">=",
  "<>",
  "!=",
  "||",
  "&&",
  "!~",
  "~~",
  "~*",
  "->>",
  "->",
  "==",
  ":=",
  "<<",
  ">>",
];

/** A parenthesis, comma, semicolon or full stop: no longer sign begins with it. */
const isAlone = (code: number): boolean => code === 40 || code === 41 || code === 44 || code === 59 || code === 46;

/** A letter of ASCII, or an underscore. */
const isLetter = (code: number): boolean => (code >= 97 && code <= 122) || (code >= 65 && code <= 90) || code === 95;

const at = (pattern: RegExp, text: string, from: number): string | undefined => {
  pattern.lastIndex = from;
  return pattern.exec(text)?.[0];
};

const escapes: Readonly<Record<string, string>> = { n: "\n", r: "\r", t: "\t", 0: "\0", b: "\b", Z: "\u001a" };

/** Text between quotes from a place on, where a doubled quote stands for one; `backslashes`: whether they escape. */
function quoted(text: string, from: number, close: string, backslashes: boolean): { text: string; end: number } {
  let made = "";
  for (let i = from + 1; i < text.length; i++) {
    const letter = text[i] as string;
    if (backslashes && letter === "\\" && i + 1 < text.length) {
      const next = text[++i] as string;
      made += escapes[next] ?? next;
    } else if (letter !== close) made += letter;
    else if (text[i + 1] === close) {
      made += close;
      i++;
    } else return { text: made, end: i + 1 };
  }
  return { text: made, end: text.length };
}

/** How a comment up to the end of the line begins: on MariaDB two hyphens with nothing behind them are two signs. */
const lineRemark = { mariadb: /--(?=[\s\p{Cc}]|$)|#/uy, others: /--/y } as const;

/** Where such a comment ends: for PostgreSQL a carriage return is the end of a line too. */
function lineEnd(text: string, from: number, dialect: DialectName): number {
  const end = dialect === "postgres" ? /[\r\n]/g : /\n/g;
  end.lastIndex = from;
  return end.exec(text)?.index ?? text.length;
}

/** Where a comment between slash and star ends: PostgreSQL's may stand inside of each other. */
function blockEnd(text: string, from: number, isNested: boolean): number {
  let depth = 1;
  let i = from + 2;
  for (; i < text.length && depth > 0; i++) {
    if (text.startsWith("*/", i)) {
      depth--;
      i++;
    } else if (isNested && text.startsWith("/*", i)) {
      depth++;
      i++;
    }
  }
  return i;
}

/**
 * The pieces of a text of SQL, as an engine reads it. It never fails: what is no SQL comes as signs.
 * MariaDB's texts are read as without ANSI_QUOTES and NO_BACKSLASH_ESCAPES, the server's own setting by default.
 */
export function* tokensOf(text: string, dialect: DialectName): Generator<Token> {
  let i = 0;
  while (i < text.length) {
    const start = i;
    const letter = text[i] as string;
    const token = (kind: Token["kind"], value: string, end: number): Token => {
      i = end;
      return { kind, text: value, start, end };
    };
    const code = text.charCodeAt(i);
    if (code === 32 || (code >= 9 && code <= 13) || code === 160) i++;
    else if (isLetter(code) && !((code === 69 || code === 101) && text[i + 1] === "'")) {
      const read = at(word, text, i) ?? letter;
      yield token("word", read.toLowerCase(), i + read.length);
    } else if (at(dialect === "mariadb" ? lineRemark.mariadb : lineRemark.others, text, i) !== undefined) {
      const end = lineEnd(text, i, dialect);
      yield token("remark", text.slice(i, end), end);
    } else if (text.startsWith("/*", i)) {
      const end = blockEnd(text, i, dialect === "postgres");
      yield token("remark", text.slice(i, end), end);
    } else if (letter === "'" || (letter === '"' && dialect === "mariadb")) {
      const read = quoted(text, i, letter, dialect === "mariadb");
      yield token("string", read.text, read.end);
    } else if (/[eE]/.test(letter) && text[i + 1] === "'" && dialect === "postgres") {
      const read = quoted(text, i + 1, "'", true);
      yield token("string", read.text, read.end);
    } else if (letter === '"' || letter === "`" || (letter === "[" && dialect === "sqlite")) {
      const read = quoted(text, i, letter === "[" ? "]" : letter, false);
      yield token("name", read.text, read.end);
    } else if (letter === "$" && dialect === "postgres" && at(dollarTag, text, i) !== undefined) {
      const tag = at(dollarTag, text, i) as string;
      const close = text.indexOf(tag, i + tag.length);
      const end = close < 0 ? text.length : close;
      yield token("string", text.slice(i + tag.length, end), Math.min(text.length, end + tag.length));
    } else if (/\d/.test(letter) || (letter === "." && /\d/.test(text[i + 1] ?? ""))) {
      const read = at(number, text, i) as string;
      yield token("number", read, i + read.length);
    } else if (wordStart.test(letter)) {
      const read = at(word, text, i) as string;
      yield token("word", read.toLowerCase(), i + read.length);
    } else {
      const sign = isAlone(code) ? letter : (signs.find((one) => text.startsWith(one, i)) ?? letter);
      yield token("sign", sign, i + sign.length);
    }
  }
}

/** Whether a text of SQL has one of the names in it. */
export const speaksOf = (text: string | undefined, names: ReadonlySet<string>, dialect: DialectName): boolean =>
  text !== undefined &&
  [...tokensOf(text, dialect)].some(
    ({ kind, text: one }) =>
      names.has(one) || (kind === "word" && [...names].some((other) => other.toLowerCase() === one)),
  );
