/**
 * Letters in lower and upper case, each character by itself: Unicode's simple mapping, as PostgreSQL's
 * collation C.utf8 and MariaDB's uca1400 have it (compared over all letters; only those that a newer
 * edition of Unicode added differ).
 */
const mapped =
  (map: (letter: string) => string, special: (letter: string) => string) =>
  (text: string): string => {
    let made = "";
    for (const letter of text) {
      const other = map(letter);
      made += other.length === letter.length || [...other].length === 1 ? other : special(letter);
    }
    return made;
  };

/** Greek letters with an iota below have capitals of one character, which the language's own mapping takes apart. */
const greekCapital = (letter: string): string => {
  const code = letter.codePointAt(0) as number;
  if (code < 0x1f80 || code > 0x1ffc) return letter;
  const capital = String.fromCodePoint(code < 0x1fb0 ? code + 8 : code + 9);
  return capital.toLowerCase() === letter ? capital : letter;
};

/** A text in lower case. */
export const lowerCase = mapped(
  (letter) => letter.toLowerCase(),
  () => "i", // of all letters only the capital I with a dot becomes two characters
);

/** A text in upper case. */
export const upperCase = mapped((letter) => letter.toUpperCase(), greekCapital);
