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

/** The statements of a text, each without its semicolon and the remarks before it. */
export function statementsOf(text: string, dialect: DialectName): readonly string[] {
  const statements: string[] = [];
  let start: number | undefined;
  let end = 0;
  let blocks = new Blocks();
  const close = (): void => {
    if (start !== undefined) statements.push(text.slice(start, end));
    start = undefined;
    blocks = new Blocks();
  };
  for (const token of tokensOf(text, dialect)) {
    if (token.kind === "remark") continue;
    if (token.kind === "sign" && token.text === ";" && !(dialect !== "postgres" && blocks.isInside())) close();
    else {
      start ??= token.start;
      end = token.end;
      blocks.take(token);
    }
  }
  close();
  return statements;
}
