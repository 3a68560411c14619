/** So many runs of a text the server plans for the values of each; then it may keep one plan for all (15, PREPARE). */
const plannedRuns = 5;

/**
 * From so many milliseconds on, and so many times as slow, a kept plan is worse than planning and parsing each time.
 */
const [leastTime, leastRatio] = [2, 1.3];

/** So many times as slow, two runs of each are enough to know. */
const plainRatio = 2.5;

/** So many runs of each a trial takes where it is less plain. */
const trialRuns = 9;

/** How many texts are looked at. */
const mostLookedAt = 1000;

const at = (times: readonly number[], part: 2 | 4): number =>
  times.toSorted((a, b) => a - b)[Math.floor(times.length / part)] as number;

/** In the middle and among the fastest quarter, which a busy process disturbs least. */
const isWorse = (kept: readonly number[], other: readonly number[]): boolean =>
  at(kept, 2) >= leastTime && at(kept, 2) >= leastRatio * at(other, 2) && at(kept, 4) >= leastRatio * at(other, 4);

const isPlainlyWorse = (kept: readonly number[], other: readonly number[]): boolean => {
  const [fastest, slowest] = [Math.min(...kept), Math.max(...other)];
  return fastest >= leastTime && fastest >= plainRatio * at(other, 2) && fastest > slowest;
};

/**
 * What is known of a text: what its runs took while each was planned, and since then; of a trial, with the kept plan
 * and without.
 */
interface Known {
  state: "watched" | "tried" | "kept" | "anew";
  readonly before: number[];
  readonly after: number[];
  readonly anew: number[];
  /** How often it was sent in the trial. */
  turns: number;
}

function watch(text: Known, isPlanned: boolean, milliseconds: number): void {
  const { before, after } = text;
  const list = isPlanned ? before : after;
  // The first run of all reads what is in no cache yet.
  if (list.length < plannedRuns) list.push(milliseconds);
  else if (isPlanned) before[before.indexOf(Math.max(...before))] = milliseconds;
  if (before.length < plannedRuns) return;
  const isSuspect =
    after.length >= plannedRuns ? isWorse(after, before) : after.length === 2 && isPlainlyWorse(after, before);
  if (isSuspect) {
    text.state = "tried";
    after.length = 0;
  } else if (after.length >= plannedRuns) text.state = "kept";
}

function judge(text: Known): void {
  const { after, anew } = text;
  const isEnough = Math.min(after.length, anew.length) >= 2;
  if (isEnough && isPlainlyWorse(after, anew)) text.state = "anew";
  else if (Math.min(after.length, anew.length) >= trialRuns) text.state = isWorse(after, anew) ? "anew" : "kept";
}

/**
 * What prepared texts take while the server plans them for their values, and after that. A server chooses by what it
 * expects plans to cost; where the kept one turns out to be slower, the text is no longer prepared. A text that became
 * slower is suspect, no more: a server that has more to do than before is slower too (measured: half of what it could
 * do was lost to that). So it is tried with the kept plan and without, in turn; that is settled once for each text.
 */
export function planTimes() {
  const known = new Map<string, Known>();
  return {
    /** Whether a text's next run is to be one without a kept plan. */
    isAnew: (text: string): boolean => {
      const one = known.get(text);
      if (one === undefined) return false;
      return one.state === "anew" || (one.state === "tried" && one.turns++ % 2 === 0);
    },
    /** Whether it is known that a text's kept plan is as good as another. */
    isKept: (text: string): boolean => known.get(text)?.state === "kept",
    /** `run`: its number on its connection, from 1; undefined where it was not prepared. */
    note: (text: string, run: number | undefined, milliseconds: number): void => {
      let one = known.get(text);
      if (one === undefined) {
        if (run === undefined) return;
        if (known.size >= mostLookedAt) known.clear();
        one = { state: "watched", before: [], after: [], anew: [], turns: 0 };
        known.set(text, one);
      }
      if (one.state === "watched" && run !== undefined) watch(one, run <= plannedRuns, milliseconds);
      else if (one.state === "tried") {
        if (run === undefined) one.anew.push(milliseconds);
        else if (run > plannedRuns) one.after.push(milliseconds);
        judge(one);
      }
    },
  };
}
