import type { AnyDatabase } from "../../database/index.js";
import type { Precondition } from "./migration.js";
import { sendText } from "./send.js";

/** A precondition that does not hold: how many rows are in the way, and a few of them, by the columns of its query. */
export interface Obstacle extends Precondition {
  readonly rows: number;
  readonly examples: readonly (readonly string[])[];
}

/** How many rows are shown of those that are in the way. */
const mostExamples = 5;

/** Those of the preconditions that do not hold. */
export async function obstaclesIn(
  db: AnyDatabase,
  preconditions: readonly Precondition[],
): Promise<readonly Obstacle[]> {
  const obstacles: Obstacle[] = [];
  for (const one of preconditions) {
    const [count] = await sendText(db, `select count(*) from (\n${one.query}\n) as in_the_way`, one.meaning);
    const rows = Number(count?.[0] ?? 0);
    if (rows === 0) continue;
    const examples = await sendText(
      db,
      `select * from (\n${one.query}\n) as in_the_way limit ${mostExamples}`,
      one.meaning,
    );
    obstacles.push({ ...one, rows, examples: examples.map((row) => row.map(String)) });
  }
  return obstacles;
}

/** An obstacle for people: what it is, how many, a few keys, and the query that shows them all. */
export const obstacleText = ({ meaning, rows, examples, query }: Obstacle): string =>
  `  ${meaning}: ${rows.toLocaleString("en")} ${rows === 1 ? "row" : "rows"}, such as ${examples.map((row) => row.join(" / ")).join(", ")}\n    ${query.replaceAll("\n", "\n    ")}`;
