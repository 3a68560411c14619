import { findChattyWrites } from "./chatty-write.js";
import { findEchoes } from "./echo.js";
import { findFanOuts } from "./fan-out.js";
import type { Finder, Finding } from "./finding.js";
import { queryOf } from "./finding.js";
import { findFullScans } from "./full-scan.js";
import { findIdleReaches } from "./idle-reach.js";
import type { FindingKind } from "./kinds.js";
import { findLongTransactions } from "./long-transaction.js";
import { findMemoryCounts } from "./memory-count.js";
import { findMemoryCuts } from "./memory-cut.js";
import { findMisjudged } from "./misjudged.js";
import { findMissingIndexes } from "./missing-index.js";
import { basename } from "./places.js";
import type { LedgerRecord } from "./record.js";
import { findRepeats } from "./repeat.js";
import { findSlow } from "./slow.js";
import { findTurnedPlans } from "./turned-plan.js";
import { findUnbounded } from "./unbounded.js";
import { findUnindexedSorts } from "./unindexed-sort.js";

/** The finder of each kind of waste. */
const finders: Readonly<Record<FindingKind, Finder>> = {
  repeat: findRepeats,
  echo: findEchoes,
  "chatty-write": findChattyWrites,
  "fan-out": findFanOuts,
  "idle-reach": findIdleReaches,
  "memory-count": findMemoryCounts,
  "memory-cut": findMemoryCuts,
  unbounded: findUnbounded,
  "long-transaction": findLongTransactions,
  "missing-index": findMissingIndexes,
  "unindexed-sort": findUnindexedSorts,
  "full-scan": findFullScans,
  misjudged: findMisjudged,
  "turned-plan": findTurnedPlans,
  slow: findSlow,
};

/**
 * A finding that is meant, and why: of a kind, by one file or line of code ("report.ts", "report.ts:14") where that is
 * said.
 */
export interface Accepted {
  readonly kind: FindingKind | (string & {});
  readonly at?: string;
  readonly reason: string;
}

/** Why a finding is meant: by the query itself, or by the settings. */
function reasonFor(finding: Finding, accepts: readonly Accepted[]): string | undefined {
  for (const statement of finding.statements)
    for (const { kind, reason } of queryOf(statement)?.accepted ?? []) if (kind === finding.kind) return reason;
  const file = basename(finding.at?.file);
  return accepts.find(
    ({ kind, at }) =>
      kind === finding.kind && (at === undefined || at === file || at === `${file}:${finding.at?.line}`),
  )?.reason;
}

/** All that was found in what was recorded, warnings and the costliest first; apart, what is meant. */
export function findingsOf(
  record: LedgerRecord,
  others: readonly Finder[],
  accepts: readonly Accepted[],
): { readonly findings: readonly Finding[]; readonly accepted: readonly Finding[] } {
  const weight = ({ severity, statements }: Finding) => (severity === "warning" ? 1e9 : 0) + statements.length;
  const all = [...Object.values(finders), ...others]
    .flatMap((find) => find(record))
    .toSorted((a, b) => weight(b) - weight(a));
  const findings: Finding[] = [];
  const accepted: Finding[] = [];
  for (const finding of all) {
    const reason = reasonFor(finding, accepts);
    if (reason === undefined) findings.push(finding);
    else accepted.push({ ...finding, reason });
  }
  return { findings, accepted };
}
