import { GemachError } from "../../errors/index.js";
import { standardWords } from "./standard-words.js";

/** Names that stand without quotes: a leading underscore may announce a character set on one engine. */
const bare = /^[a-z][a-z0-9_]*$/;

/** Words as a list has them, with blanks between. */
const wordsOf = (list: string): readonly string[] => list.trim().split(/\s+/);

/**
 * How a name is written for an engine: as it is where it is made of small letters, digits and underscores and is no
 * reserved word of the standard or of the engine, else between quotes, which are doubled inside. Names come from
 * models, so that there are few: each is looked at once.
 */
export function identifiersOf(mark: string, reserved: string): (name: string) => string {
  let words: ReadonlySet<string> | undefined;
  const known = new Map<string, string>();
  return (name) => {
    const there = known.get(name);
    if (there !== undefined) return there;
    if (name.includes("\0")) throw new GemachError("IDENTIFIER_UNFIT", {});
    words ??= new Set([...wordsOf(standardWords), ...wordsOf(reserved)]);
    const made = bare.test(name) && !words.has(name) ? name : `${mark}${name.replaceAll(mark, mark + mark)}${mark}`;
    known.set(name, made);
    return made;
  };
}
