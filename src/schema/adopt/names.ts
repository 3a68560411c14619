/** Words that a property of a row cannot be called by: an entity of a model has them of its own, or JavaScript. */
const reserved = new Set([
  "constructor",
  "prototype",
  "__proto__",
  "then",
  "toJSON",
  "toString",
  "valueOf",
  "hasOwnProperty",
]);

const wordsOf = (name: string): readonly string[] =>
  name
    .replace(/([\p{Ll}\p{N}])(\p{Lu})/gu, "$1 $2")
    .replace(/(\p{Lu}+)(\p{Lu}\p{Ll})/gu, "$1 $2")
    .split(/[^\p{L}\p{N}$]+/u)
    .filter((word) => word !== "");

const capital = (word: string): string => word.charAt(0).toUpperCase() + word.slice(1);

const startingWell = (name: string): string => (/^[\p{L}_$]/u.test(name) ? name : `_${name}`);

/** Words that end like several, and are one. */
const singular = /(?:ss|us|is|series|species|news|aliases)$/i;

/** "loans" → "loan": what one row of a table is called. */
function singularOf(word: string): string {
  if (word.length < 4 || singular.test(word)) return word;
  if (/ies$/i.test(word)) return `${word.slice(0, -3)}y`;
  if (/(?:ch|sh|x|ss)es$/i.test(word)) return word.slice(0, -2);
  return /s$/i.test(word) ? word.slice(0, -1) : word;
}

/** "loan_items" → "LoanItem": the name of an entity. */
export const entityName = (table: string): string =>
  startingWell(
    wordsOf(table)
      .map((word, i, words) => (i === words.length - 1 ? singularOf(word) : word))
      .map((word) => capital(word === word.toUpperCase() ? word.toLowerCase() : word))
      .join("") || "Table",
  );

/** "loan_item" → "loanItem": the name of a property. */
export function propertyName(column: string): string {
  const [first = "column", ...rest] = wordsOf(column).map((word) =>
    word === word.toUpperCase() ? word.toLowerCase() : word,
  );
  const name = startingWell(first.charAt(0).toLowerCase() + first.slice(1) + rest.map(capital).join(""));
  return reserved.has(name) ? `${name}Value` : name;
}

/**
 * "loan" → "loans": the name of a relation to many. English, as most tables are named; a reader changes what is not.
 */
export function pluralOf(name: string): string {
  if (/(?:ss|x|ch|sh)$/.test(name)) return `${name}es`;
  if (/s$/.test(name)) return name;
  return /[^aeiou]y$/.test(name) ? `${name.slice(0, -1)}ies` : `${name}s`;
}

/** A name that none of those taken is, with a word behind it or else a number. */
export function freeName(wanted: string, taken: ReadonlySet<string>, ...others: readonly string[]): string {
  for (const name of [wanted, ...others]) if (!taken.has(name)) return name;
  let i = 2;
  while (taken.has(`${wanted}${i}`)) i++;
  return `${wanted}${i}`;
}

/**
 * "depot_id" → "depot": what a column that holds a key leads to, by its name; undefined where the name does not tell.
 */
export function leadsTo(column: string): string | undefined {
  const match = /^(.+?)(?:_?(?:id|key|no|nr|fk|uuid)|_ref)$/i.exec(column);
  const name = match?.[1]?.replace(/_+$/, "");
  // "paid" ends so too, but is no "pa".
  const isMarked = /_(?:id|key|no|nr|fk|uuid|ref)$/i.test(column) || /[a-z](?:Id|Key|No|Nr|ID|Uuid)$/.test(column);
  return isMarked && name !== undefined && name !== "" ? propertyName(name) : undefined;
}
