import { detailOf, type StatementOrigin, type Wire } from "../../sql/index.js";

/** What was sent in place of what is shown, for who sends it once more. */
const sent = new WeakMap<readonly Wire[], readonly Wire[]>();

/** Numbers of values, so that equal ones have equal marks; begun anew where there are too many. */
const marks = new Map<string, number>();
const mostMarks = 10_000;

function markOf(value: Wire): Wire {
  if (value === null) return null;
  const known =
    typeof value === "bigint" ? `${value}n` : JSON.stringify(value instanceof Uint8Array ? [...value] : value);
  if (marks.size >= mostMarks) marks.clear();
  const mark = marks.get(known) ?? marks.size + 1;
  marks.set(known, mark);
  return `(secret ${mark})`;
}

/** The values of a statement as they may be shown. */
export function masked(parameters: readonly Wire[], origin: StatementOrigin, text: string): readonly Wire[] {
  if (parameters.length === 0 || detailOf(origin)?.isSecret(text) !== true) return parameters;
  const shown = parameters.map(markOf);
  sent.set(shown, parameters);
  return shown;
}

/** The values that were sent, of those that are shown. */
export const unmasked = (shown: readonly Wire[]): readonly Wire[] => sent.get(shown) ?? shown;
