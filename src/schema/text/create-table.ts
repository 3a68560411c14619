import { type Token, tokensOf } from "./tokens.js";

/** What the text of a table of SQLite's says of a column that its catalogue has in no other place. */
export interface ColumnWords {
  readonly collation: string | undefined;
  readonly computed: string | undefined;
}

/** A rule in the text of a table; `column`: where it stands with one, without a name. */
export interface CheckWords {
  readonly name: string | undefined;
  readonly text: string;
  readonly column: string | undefined;
}

/** What the text of a table of SQLite's says beyond what its catalogue tells. */
export interface TableWords {
  readonly columns: ReadonlyMap<string, ColumnWords>;
  readonly checks: readonly CheckWords[];
  /** Names of foreign keys, by their columns; and of what is unique. */
  readonly foreignKeys: ReadonlyMap<string, string>;
  readonly uniques: ReadonlyMap<string, string>;
  /** Foreign keys that are looked at when a transaction ends, by their columns. */
  readonly deferred: ReadonlySet<string>;
  /** Whether its numbers are never handed out twice. */
  readonly hasAutoincrement: boolean;
  /** What stands behind the columns: " strict", " without rowid". */
  readonly settings: string;
}

const ofTable = new Set(["primary", "unique", "check", "foreign"]);

/** The key by which names of constraints are found: columns one after the other. */
export const columnsKey = (columns: readonly string[]): string =>
  JSON.stringify(columns.map((name) => name.toLowerCase()));

/** Reads one part of a definition: a column, or what holds of several. */
class Part {
  readonly #text: string;
  readonly #tokens: readonly Token[];
  #at = 0;

  constructor(text: string, tokens: readonly Token[]) {
    this.#text = text;
    this.#tokens = tokens;
  }

  peek(): Token | undefined {
    return this.#tokens[this.#at];
  }

  /** Where the text goes on behind what was read. */
  at(): number {
    return this.#tokens[this.#at - 1]?.end ?? this.#text.length;
  }

  next(): Token | undefined {
    return this.#tokens[this.#at++];
  }

  isWord(word: string): boolean {
    const token = this.peek();
    return token?.kind === "word" && token.text === word;
  }

  /** What stands between the parentheses that come next. */
  between(): readonly Token[] {
    while (this.peek() !== undefined && this.peek()?.text !== "(") this.#at++;
    const from = ++this.#at;
    for (let depth = 1; this.#at < this.#tokens.length; this.#at++) {
      const { kind, text } = this.#tokens[this.#at] as Token;
      if (kind === "sign" && text === "(") depth++;
      if (kind === "sign" && text === ")" && --depth === 0) break;
    }
    return this.#tokens.slice(from, this.#at++);
  }

  /** The definition as it was written. */
  betweenText(): string {
    const tokens = this.between();
    return this.#text.slice(tokens[0]?.start ?? 0, tokens.at(-1)?.end ?? 0);
  }
}

/** A list of tokens cut at the commas that stand in no parentheses. */
function cut(tokens: readonly Token[]): readonly (readonly Token[])[] {
  const parts: Token[][] = [[]];
  let depth = 0;
  for (const token of tokens) {
    if (token.kind === "sign" && token.text === "(") depth++;
    if (token.kind === "sign" && token.text === ")") depth--;
    if (token.kind === "sign" && token.text === "," && depth === 0) parts.push([]);
    else parts.at(-1)?.push(token);
  }
  return parts;
}

const namesIn = (tokens: readonly Token[], text: string): readonly string[] =>
  cut(tokens).map(([first]) => (first === undefined ? "" : nameIn(first, text)));

/** A name as it was written: words come in small letters. */
const nameIn = (token: Token, text: string): string =>
  token.kind === "word" ? text.slice(token.start, token.end) : token.text;

/** Reads what the text of a table says, as SQLite's schema keeps it: `create table … (…)`. */
export function tableWords(text: string): TableWords {
  const tokens = [...tokensOf(text, "sqlite")].filter(({ kind }) => kind !== "remark");
  const columns = new Map<string, ColumnWords>();
  const checks: CheckWords[] = [];
  const foreignKeys = new Map<string, string>();
  const uniques = new Map<string, string>();
  const deferred = new Set<string>();
  const whole = new Part(text, tokens);
  for (const part of cut(whole.between())) {
    const isDeferred = part.some(({ kind, text: one }) => kind === "word" && one === "deferred");
    const reader = new Part(text, part);
    let name: string | undefined;
    const constraint = (column: string | undefined): void => {
      if (reader.isWord("constraint")) {
        reader.next();
        name = nameIn(reader.next() as Token, text);
      }
      const word = reader.next();
      if (word?.kind !== "word") return;
      if (word.text === "check")
        checks.push({ name, text: reader.betweenText(), column: name === undefined ? column : undefined });
      else if (word.text === "unique" || (word.text === "references" && column !== undefined)) {
        const of = column === undefined ? namesIn(reader.between(), text) : [column];
        if (name !== undefined) (word.text === "unique" ? uniques : foreignKeys).set(columnsKey(of), name);
        if (word.text === "references" && isDeferred) deferred.add(columnsKey(of));
      } else if (word.text === "foreign") {
        const of = namesIn(reader.between(), text);
        if (name !== undefined) foreignKeys.set(columnsKey(of), name);
        if (isDeferred) deferred.add(columnsKey(of));
      } else if (word.text === "default") {
        if (reader.peek()?.text === "(") reader.between();
        else reader.next();
        return;
      } else if (word.text === "collate" && column !== undefined) {
        const collation = nameIn(reader.next() as Token, text).toLowerCase();
        columns.set(column, { computed: undefined, ...columns.get(column), collation });
      } else if (word.text === "as" && column !== undefined)
        columns.set(column, { collation: undefined, ...columns.get(column), computed: reader.betweenText() });
      else return;
      name = undefined;
    };
    const first = reader.peek();
    if (first === undefined) continue;
    if (first.kind === "word" && (ofTable.has(first.text) || (first.text === "constraint" && part.length > 2))) {
      constraint(undefined);
      continue;
    }
    const column = nameIn(reader.next() as Token, text);
    while (reader.peek() !== undefined) constraint(column);
  }
  return {
    ...{ columns, checks, foreignKeys, uniques, deferred },
    settings: text.slice(whole.at()).trimEnd(),
    hasAutoincrement: tokens.some(({ kind, text: one }) => kind === "word" && one === "autoincrement"),
  };
}
