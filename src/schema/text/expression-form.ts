import type { DialectName } from "../../sql/index.js";
import { type Token, tokensOf } from "./tokens.js";

/** An expression of SQL in a form in which two texts that say the same in other words are the same. */
type Form =
  | { readonly kind: "name" | "string" | "number" | "word"; readonly text: string }
  | { readonly kind: "call"; readonly text: string; readonly parts: readonly Form[] };

const call = (text: string, ...parts: readonly Form[]): Form => ({ kind: "call", text, parts });

/** An expression that this reader does not know; it is compared piece by piece. */
class Unread extends Error {}

/** What engines call by another name than the one that was written. */
const aliases: Readonly<Record<string, string>> = {
  lcase: "lower",
  ucase: "upper",
  substr: "substring",
  char_length: "length",
  character_length: "length",
  now: "current_timestamp",
  localtimestamp: "current_timestamp",
  int: "integer",
  int4: "integer",
  int8: "bigint",
  bool: "boolean",
  timestamptz: "timestamp with time zone",
  decimal: "numeric",
};

const known = (name: string): string => aliases[name] ?? name;

const comparisons: Readonly<Record<string, string>> = {
  "=": "=",
  "==": "=",
  "<>": "<>",
  "!=": "<>",
  "<": "<",
  ">": ">",
  "<=": "<=",
  ">=": ">=",
  "<=>": "<=>",
  "~~": "like",
  "!~~": "not like",
  "~~*": "ilike",
  "!~~*": "not ilike",
};

/** How tightly operators bind, from 1; those without a number bind like PostgreSQL's other operators. */
const additive = 6;
const strengths: Readonly<Record<string, number>> = { "+": additive, "-": additive, "*": 7, "/": 7, "%": 7 };
const otherOperator = 5;

const textTypes = new Set(["text", "character varying", "varchar", "bpchar", "character", "char", "name"]);

/** Words of which the name of a type may go on. */
const typeWords = new Set([
  "varying",
  "precision",
  "with",
  "without",
  "time",
  "zone",
  "unsigned",
  "signed",
  "local",
  "set",
]);

class Reader {
  readonly #tokens: readonly Token[];
  readonly #dialect: DialectName;
  #at = 0;

  constructor(text: string, dialect: DialectName) {
    this.#tokens = [...tokensOf(text, dialect)].filter(({ kind }) => kind !== "remark");
    this.#dialect = dialect;
  }

  whole(): Form {
    const form = this.#above(0);
    if (this.#at < this.#tokens.length) throw new Unread();
    return form;
  }

  #is(text: string, ahead = 0): boolean {
    const token = this.#tokens[this.#at + ahead];
    return token !== undefined && (token.kind === "sign" || token.kind === "word") && token.text === text;
  }

  #take(text: string): boolean {
    if (!this.#is(text)) return false;
    this.#at++;
    return true;
  }

  #expect(text: string): void {
    if (!this.#take(text)) throw new Unread();
  }

  #strength(): number {
    const token = this.#tokens[this.#at];
    if (token === undefined) return 0;
    const { kind, text } = token;
    if (kind === "word") {
      if (text === "or") return 1;
      if (text === "and") return 2;
      if (text === "collate") return 10;
      return ["is", "in", "like", "ilike", "between", "not", "isnull", "notnull", "glob", "regexp"].includes(text)
        ? 4
        : 0;
    }
    if (kind !== "sign" || [")", "]", ",", ";", "."].includes(text)) return 0;
    if (text === "::") return 11;
    if (Object.hasOwn(comparisons, text)) return 4;
    if (text === "||" && this.#dialect === "sqlite") return 9;
    return strengths[text] ?? otherOperator;
  }

  #above(least: number): Form {
    let left = this.#prefix();
    for (let strength = this.#strength(); strength > least; strength = this.#strength())
      left = this.#infix(left, strength);
    return left;
  }

  #prefix(): Form {
    if (this.#take("not")) return negated(this.#above(3));
    if (this.#take("!")) return negated(this.#above(8));
    if (this.#take("-")) {
      const operand = this.#above(8);
      return operand.kind === "number" ? { kind: "number", text: `-${operand.text}` } : call("neg", operand);
    }
    if (this.#take("+")) return this.#above(8);
    return this.#primary();
  }

  #infix(left: Form, strength: number): Form {
    const { text } = this.#tokens[this.#at++] as Token;
    if (text === "::") return cast(left, this.#type());
    if (text === "and" || text === "or") return joined(text, left, this.#above(strength));
    if (text === "collate") {
      this.#at++;
      return left;
    }
    if (text === "isnull") return call("is", left, word("null"));
    if (text === "notnull") return negated(call("is", left, word("null")));
    if (text === "not") return negated(this.#infix(left, strength));
    if (text === "is") return this.#is_(left);
    if (text === "in") return call("in", left, ...this.#list());
    if (text === "between") {
      const from = this.#above(4);
      this.#expect("and");
      return joined("and", call(">=", left, from), call("<=", left, this.#above(4)));
    }
    if (text === "=" && this.#is("any")) return call("in", left, ...this.#array("any"));
    if (text === "<>" && this.#is("all")) return negated(call("in", left, ...this.#array("all")));
    const operator = comparisons[text] ?? text;
    const right = this.#above(strength);
    return operator.startsWith("not ") ? negated(call(operator.slice(4), left, right)) : call(operator, left, right);
  }

  #is_(left: Form): Form {
    const isNot = this.#take("not");
    if (this.#take("distinct")) {
      this.#expect("from");
      const form = call("distinct", left, this.#above(4));
      return isNot ? negated(form) : form;
    }
    const form = call("is", left, this.#above(4));
    return isNot ? negated(form) : form;
  }

  #list(): readonly Form[] {
    this.#expect("(");
    return this.#items(")");
  }

  #items(close: string): readonly Form[] {
    const items: Form[] = [];
    if (this.#take(close)) return items;
    do {
      items.push(this.#above(0));
      // `char(39 using utf8mb4)`: the character set of MariaDB's text.
      if (this.#take("using")) this.#at++;
    } while (this.#take(","));
    this.#expect(close);
    return items;
  }

  /** `any (array[...])`, also where the whole array is cast. */
  #array(name: string): readonly Form[] {
    this.#expect(name);
    this.#expect("(");
    const array = this.#above(0);
    this.#expect(")");
    if (array.kind !== "call" || array.text !== "array") throw new Unread();
    return array.parts;
  }

  #type(): string {
    const words: string[] = [];
    do {
      const token = this.#tokens[this.#at++];
      if (token === undefined || (token.kind !== "word" && token.kind !== "name")) throw new Unread();
      words.push(token.text);
      while (this.#take(".")) words.push((this.#tokens[this.#at++] as Token).text);
      if (this.#take("(")) this.#items(")");
    } while (this.#tokens[this.#at]?.kind === "word" && typeWords.has((this.#tokens[this.#at] as Token).text));
    let name = known(words.join(" "));
    while (this.#take("[")) {
      this.#expect("]");
      name += "[]";
    }
    return name;
  }

  #primary(): Form {
    const token = this.#tokens[this.#at++];
    if (token === undefined) throw new Unread();
    const { kind, text } = token;
    if (kind === "string" || kind === "number") return { kind, text: kind === "number" ? text.toLowerCase() : text };
    if (kind === "sign") {
      if (text !== "(") throw new Unread();
      const inner = this.#above(0);
      if (this.#is(",")) {
        this.#at++;
        return call("row", inner, ...this.#items(")"));
      }
      this.#expect(")");
      return inner;
    }
    if (kind === "word") {
      if (text === "case") return this.#case();
      if (text === "cast" && this.#take("(")) {
        const operand = this.#above(0);
        this.#expect("as");
        const type = this.#type();
        this.#expect(")");
        return cast(operand, type);
      }
      if (text === "array" && this.#take("[")) return call("array", ...this.#items("]"));
      // `_utf8mb4'text'`: a text with its character set.
      const next = this.#tokens[this.#at];
      if (text.startsWith("_") && next?.kind === "string") return this.#primary();
      if (next?.kind === "string") {
        this.#at++;
        return cast({ kind: "string", text: next.text }, known(text));
      }
    }
    return this.#named(kind as "word" | "name", text);
  }

  #named(kind: "word" | "name", given: string): Form {
    let text = given;
    let isQuoted = kind === "name";
    // Only the last part tells: the others are a table, or a schema of the engine's own functions.
    while (this.#is(".")) {
      this.#at++;
      const part = this.#tokens[this.#at++];
      if (part === undefined) throw new Unread();
      ({ text } = part);
      isQuoted = part.kind === "name";
    }
    if (this.#take("(")) {
      if (this.#take("*")) {
        this.#expect(")");
        return call(known(text), word("*"));
      }
      const items = this.#items(")");
      // MariaDB counts days so.
      if (text === "datediff") return call("-", ...items.map((item) => call("to_days", item)));
      return call(known(text), ...items);
    }
    if (!isQuoted && ["null", "true", "false"].includes(text)) return word(text);
    if (!isQuoted && ["current_timestamp", "current_date", "current_time", "localtimestamp"].includes(text))
      return call(known(text));
    return { kind: "name", text };
  }

  #case(): Form {
    const parts: Form[] = [];
    if (!this.#is("when")) parts.push(this.#above(0));
    while (this.#take("when")) {
      const when = this.#above(0);
      this.#expect("then");
      parts.push(call("when", when, this.#above(0)));
    }
    if (this.#take("else")) parts.push(call("else", this.#above(0)));
    this.#expect("end");
    return call("case", ...parts);
  }
}

const word = (text: string): Form => ({ kind: "word", text });

const opposites: Readonly<Record<string, string>> = { "=": "<>", "<>": "=" };

function negated(form: Form): Form {
  if (form.kind === "call" && form.text === "not") return form.parts[0] as Form;
  const opposite = form.kind === "call" ? opposites[form.text] : undefined;
  return form.kind === "call" && opposite !== undefined ? { ...form, text: opposite } : call("not", form);
}

const partsIn = (form: Form, operator: string): readonly Form[] =>
  form.kind === "call" && form.text === operator ? form.parts : [form];

const joined = (operator: string, left: Form, right: Form): Form =>
  call(operator, ...partsIn(left, operator), ...partsIn(right, operator));

/** A cast of a literal says no more than the literal; one to text is what PostgreSQL writes of its own accord. */
function cast(form: Form, type: string): Form {
  if (form.kind === "string" && /^(integer|bigint|smallint|numeric|double precision|real)$/.test(type))
    return { kind: "number", text: form.text };
  if (form.kind === "string" && type === "boolean") return word(/^t/.test(form.text) ? "true" : "false");
  if (form.kind !== "call" && form.kind !== "name") return form;
  if (form.kind === "call" && (form.text === "array" || (form.text === "neg" && !type.startsWith("interval"))))
    return form;
  return textTypes.has(type) ? form : call("cast", form, word(type));
}

function printed(form: Form): string {
  switch (form.kind) {
    case "call":
      return `${form.text}(${form.parts.map(printed).join(", ")})`;
    case "string":
      return `'${form.text}'`;
    case "name":
      return nameForm(form.text);
    default:
      return form.text;
  }
}

/** A name in the form of an expression. */
export const nameForm = (name: string): string => `"${name.toLowerCase().replaceAll('"', '""')}"`;

/**
 * An expression of a table's definition in a form by which two texts are compared, whoever wrote them: engines give
 * expressions back with other parentheses, casts, names of functions and forms of conditions than they were given.
 */
export function expressionForm(text: string, dialect: DialectName): string {
  // Tables of one database say the same many times over.
  const known = forms[dialect].get(text);
  if (known !== undefined) return known;
  if (forms[dialect].size >= mostForms) forms[dialect].clear();
  const form = readForm(text, dialect);
  forms[dialect].set(text, form);
  return form;
}

const mostForms = 5000;
const forms: Readonly<Record<DialectName, Map<string, string>>> = {
  sqlite: new Map(),
  postgres: new Map(),
  mariadb: new Map(),
};

function readForm(text: string, dialect: DialectName): string {
  try {
    return printed(new Reader(text, dialect).whole());
  } catch (error) {
    if (!(error instanceof Unread)) throw error;
    return [...tokensOf(text, dialect)]
      .filter(({ kind }) => kind !== "remark")
      .map((token) => token.text)
      .join(" ");
  }
}
