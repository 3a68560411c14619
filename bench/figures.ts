import { readFileSync, writeFileSync } from "node:fs";

/** The value in the middle. */
export const median = (values: readonly number[]): number =>
  [...values].sort((a, b) => a - b)[values.length >> 1] ?? Number.NaN;

/** A figure for several measurements, their median by default, with the least and the most of them. */
export const spread = (values: readonly number[], figure = median(values)): string =>
  `${figure.toFixed(2)} (${Math.min(...values).toFixed(2)} to ${Math.max(...values).toFixed(2)})`;

/** How long work takes. */
export async function milliseconds(work: () => Promise<unknown>): Promise<number> {
  const started = performance.now();
  await work();
  return performance.now() - started;
}

/** A figure that was measured: its median, and the least and the most of its rounds. */
interface Noted {
  readonly figure: number;
  readonly least: number;
  readonly most: number;
}

const noted = new Map<string, Noted>();
const file = "bench/figures.json";

/** A figure as a cell of a table shows it; noted, to be compared with that of the last run that was kept. */
export function noting(job: string, engine: string, values: readonly number[], figure = median(values)): string {
  noted.set(`${job} | ${engine}`, { figure, least: Math.min(...values), most: Math.max(...values) });
  return spread(values, figure);
}

const keptFigures = (): Readonly<Record<string, readonly [figure: number, least: number, most: number]>> => {
  try {
    return JSON.parse(readFileSync(file, "utf8"));
  } catch {
    return {};
  }
};

/** A figure has moved where it is beyond the rounds of then, and those of then are beyond its own, by a twentieth. */
const hasMoved = (
  { figure, least, most }: Noted,
  [then, lowest, highest]: readonly [number, number, number],
): boolean => (figure > highest * 1.05 && then < least / 1.05) || (figure < lowest / 1.05 && then > most * 1.05);

/** Which figures moved since the last run that was kept; keeps those of this one where GEMACH_KEEP=1 says so. */
export function movedText(): string {
  const kept = keptFigures();
  const moved = [...noted].flatMap(([name, now]) => {
    const then = kept[name];
    if (then === undefined || !hasMoved(now, then)) return [];
    return [
      `${now.figure > then[0] ? "more" : "less"}: ${name}: ${then[0].toFixed(2)} then, ${now.figure.toFixed(2)} now`,
    ];
  });
  const known = [...noted.keys()].filter((name) => kept[name] !== undefined).length;
  if (process.env.GEMACH_KEEP === "1") {
    const all = { ...kept };
    const short = (value: number) => Number(value.toPrecision(4));
    for (const [name, { figure, least, most }] of noted) all[name] = [short(figure), short(least), short(most)];
    const lines = Object.entries(all).map(([name, values]) => `${JSON.stringify(name)}: ${JSON.stringify(values)}`);
    writeFileSync(file, `{\n${lines.sort().join(",\n")}\n}\n`);
  }
  if (known === 0) return "No figure of these was kept before (GEMACH_KEEP=1 keeps them).";
  return moved.length === 0
    ? `None of ${known} figures moved since the last run that was kept.`
    : `Of ${known} figures these moved since the last run that was kept:\n${moved.join("\n")}`;
}
