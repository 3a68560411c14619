import type { DialectName } from "../../sql/index.js";
import { type Token, tokensOf } from "./tokens.js";

const bodies = new Set(["trigger", "procedure", "function", "event"]);

/** Words that open a block inside of a body, and need an end of their own. */
const opening = new Set(["begin", "case", "if", "loop", "repeat", "while"]);

/** Follows the blocks of a statement that has statements in it: a trigger of SQLite, a procedure of MariaDB. */
class Blocks {
  #depth = 0;
  #isBody = false;
  #words = 0;
  #before = "";

  isInside(): boolean {
    return this.#depth > 0;
  }

  take({ kind, text }: Token): void {
    if (kind !== "word") return;
    this.#words++;
    if (this.#words <= 8 && bodies.has(text)) this.#isBody = true;
    if (!this.#isBody) return;
    // `end if`, `end loop`: the word after an end opens nothing; `if exists`, `if not exists` neither.
    if (text === "end") this.#depth = Math.max(0, this.#depth - 1);
    else if (text === "begin" || (this.#depth > 0 && this.#before !== "end" && opening.has(text))) this.#depth++;
    if ((text === "exists" || text === "not") && this.#before === "if" && this.#depth > 1) this.#depth--;
    this.#before = text;
  }
}

/** What a text of SQL is made of. */
interface Parts {
  /** Each without its semicolon and the remarks before it. */
  readonly statements: readonly string[];
  /** Remarks that are a line each, between statements; a name or a body that looks like one is none. */
  readonly remarks: readonly string[];
}

/** The statements of a text, each without its semicolon and the remarks before it. */
export const statementsOf = (text: string, dialect: DialectName): readonly string[] =>
  partsOf(text, dialect).statements;

/** The statements of a text, and the lines of remarks between them. */
export function partsOf(text: string, dialect: DialectName): Parts {
  const statements: string[] = [];
  const remarks: string[] = [];
  let start: number | undefined;
  let end = 0;
  let blocks = new Blocks();
  const close = (): void => {
    if (start !== undefined) statements.push(text.slice(start, end));
    start = undefined;
    blocks = new Blocks();
  };
  for (const token of tokensOf(text, dialect)) {
    if (token.kind === "remark") {
      const isLine =
        token.text.startsWith("--") && (token.start === 0 || /[\r\n]/.test(text[token.start - 1] as string));
      if (isLine && start === undefined) remarks.push(token.text.trimEnd());
      continue;
    }
    if (token.kind === "sign" && token.text === ";" && !(dialect !== "postgres" && blocks.isInside())) close();
    else {
      start ??= token.start;
      end = token.end;
      blocks.take(token);
    }
  }
  close();
  return { statements, remarks };
}
