import type { Finding } from "./finding.js";
import type { LedgerRecord, LedgerStatement } from "./record.js";
import type { ReadProperty, ReadTally } from "./tally.js";

const statementsOf = ({ statements }: LedgerRecord, { origin }: ReadTally): readonly LedgerStatement[] =>
  statements.filter((one) => one.origin.call === origin.call);

/** Tallies of one line of code together: what is read once is read. */
export function together(reads: readonly ReadTally[]): readonly (readonly ReadTally[])[] {
  const groups = new Map<string, ReadTally[]>();
  for (const tally of reads) {
    const { verb, at, query } = tally.origin;
    const name =
      at === undefined ? query : `${verb} ${at.file}:${at.line}:${at.column} ${tally.state.source.entity.name}`;
    const group = groups.get(name as string);
    if (group === undefined) groups.set(name as string, [tally]);
    else group.push(tally);
  }
  return [...groups.values()];
}

/** The properties of all of them. */
export function propertiesOf(tallies: readonly ReadTally[]): readonly ReadProperty[] {
  const all = new Map<string, ReadProperty>();
  for (const { properties } of tallies)
    for (const one of properties) {
      const known = all.get(one.path);
      all.set(one.path, {
        ...one,
        there: one.there + (known?.there ?? 0),
        read: one.read + (known?.read ?? 0),
        bytes: one.bytes + (known?.bytes ?? 0),
      });
    }
  return [...all.values()];
}

export const sum = (tallies: readonly ReadTally[], of: "rows" | "touched"): number =>
  tallies.reduce((total, tally) => total + tally[of], 0);

/** A finding of one line of code that fetched rows. */
export const found = (
  record: LedgerRecord,
  tallies: readonly ReadTally[],
  finding: Pick<Finding, "kind" | "severity" | "evidence" | "remedy">,
): Finding => ({
  ...finding,
  at: tallies[0]?.origin.at,
  statements: tallies.flatMap((tally) => statementsOf(record, tally)),
});

export const nameOf = ([first]: readonly ReadTally[]): string => first?.state.source.entity.name ?? "a query";

/** The last name of a path. */
export const lastOf = (path: string): string => path.slice(path.lastIndexOf(".") + 1);
