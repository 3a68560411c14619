/**
 * How long the name of an index or a constraint may be on every engine: 63 bytes on PostgreSQL, which cuts the rest.
 */
const mostBytes = 63;

/** FNV-1a, 32 bits: a short text that stays the same as long as the text does. */
function shortHash(text: string): string {
  let hash = 0x811c9dc5;
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193);
  return (hash >>> 0).toString(36).padStart(7, "0");
}

const bytesOf = (text: string): number => encodeURIComponent(text).replace(/%../g, "x").length;

/** The beginning of a text, of so many bytes at most. */
function shortened(text: string, most: number): string {
  let made = "";
  let bytes = 0;
  for (const letter of text) {
    bytes += bytesOf(letter);
    if (bytes > most) break;
    made += letter;
  }
  return made;
}

/**
 * The name of an index or a constraint: what it is of, in words, and behind that a hash of its definition where the
 * words are too long, or do not tell it apart from others. `taken`: names in use, in small letters.
 */
export function objectName(words: string, definition: string | undefined, taken: Set<string>): string {
  const hashed = (of: string) => `${shortened(words, mostBytes - 8)}_${shortHash(of)}`;
  let name = definition === undefined && bytesOf(words) <= mostBytes ? words : hashed(words + (definition ?? ""));
  for (let i = 2; taken.has(name.toLowerCase()); i++) name = hashed(`${words}${definition ?? ""}${i}`);
  taken.add(name.toLowerCase());
  return name;
}
