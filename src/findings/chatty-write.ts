import type { SentStatement } from "../run/index.js";
import { type Finder, groupsOf, placeOf, siteAndText } from "./finding.js";

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
export const findChattyWrites: Finder = ({ statements, thresholds: { loop } }) =>
  groupsOf(
    statements.filter(({ origin }) => writing.has(origin.verb)),
    siteAndText,
  ).flatMap((group) => {
    const calls = new Set(group.map(({ origin }) => origin.call)).size;
    const first = group[0] as SentStatement;
    const { at, entity, verb } = first.origin;
    if (calls < loop) return [];
    return [
      {
        kind: "chatty-write",
        severity: "warning" as const,
        evidence: `${calls} calls of ${verb}() for ${entity ?? "rows"}${placeOf(at)}, where one would do.`,
        remedy: remedyOf(first),
        at,
        statements: group,
      },
    ];
  });
