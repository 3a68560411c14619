/** The number of single-character edits between two words (Levenshtein's distance). */
function distance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i++) {
    const next = [i];
    for (let j = 1; j <= b.length; j++) {
      const swap = (row[j - 1] ?? 0) + (a[i - 1] === b[j - 1] ? 0 : 1);
      next.push(Math.min(swap, (row[j] ?? 0) + 1, (next[j - 1] ?? 0) + 1));
    }
    row = next;
  }
  return row[b.length] ?? 0;
}

/** The known name that is nearly `name`, if one is: with few letters changed, or with more letters at the end. */
function nearest(name: string, known: readonly string[]): string | undefined {
  let best: string | undefined;
  let least = (name.length < 4 ? 1 : Math.max(2, Math.floor(name.length / 3))) + 1;
  for (const candidate of known) {
    const edits = distance(name.toLowerCase(), candidate.toLowerCase());
    if (edits < least) [best, least] = [candidate, edits];
  }
  return best ?? known.find((candidate) => name.length > 2 && candidate.toLowerCase().startsWith(name.toLowerCase()));
}

/** " Did you mean 'x'?" where a known name is near, else nothing. */
export function didYouMean(name: string, known: readonly string[]): string {
  const suggestion = nearest(name, known);
  return suggestion === undefined ? "" : ` Did you mean '${suggestion}'?`;
}

/** "integer, bigint or double" */
export const listed = (words: readonly string[]): string =>
  words.length < 2 ? words.join("") : `${words.slice(0, -1).join(", ")} or ${words.at(-1)}`;
