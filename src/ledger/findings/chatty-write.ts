import type { SentStatement } from "../../run/index.js";
import { type Finder, groupsOf, placeOf } from "./finding.js";

/** From so many calls on, writes by one line of code are a loop. */
const least = 5;

const writing: ReadonlySet<string> = new Set(["insert", "upsert", "update", "delete", "updateRows"]);

/** What to write in place of a loop of calls. */
function remedyOf({ origin: { verb, entity = "Entity" } }: SentStatement): string {
  switch (verb) {
    case "insert":
    case "upsert":
      return `Give all rows to one call: db.${verb}(${entity}, rows).`;
    case "delete":
      return `Delete them by one query: db.delete(from(${entity}).where((r) => r.….oneOf(values))).`;
    default:
      return `Give all changes to one call: db.updateRows(${entity}, [{ …key, …changes }, …]); or change live entities of a unit of work, which writes them together.`;
  }
}

/** A line of code that writes in a loop, a row or a few with each call. */
export const findChattyWrites: Finder = (statements) =>
  groupsOf(
    statements.filter(({ origin }) => writing.has(origin.verb)),
    ({ text, origin: { verb, at } }) => `${verb} ${at?.file}:${at?.line}:${at?.column} ${text}`,
  ).flatMap((group) => {
    const calls = new Set(group.map(({ origin }) => origin.call)).size;
    const first = group[0] as SentStatement;
    const { at, entity, verb } = first.origin;
    if (calls < least) return [];
    return [
      {
        kind: "chatty-write" as const,
        evidence: `${calls} calls of ${verb}() for ${entity ?? "rows"}${placeOf(at)}, where one would do.`,
        remedy: remedyOf(first),
        at,
        statements: group,
      },
    ];
  });
