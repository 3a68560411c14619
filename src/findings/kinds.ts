/** The kinds of findings that there are. */
export const findingKinds = [
  "repeat",
  "echo",
  "chatty-write",
  "fan-out",
  "idle-reach",
  "memory-count",
  "memory-cut",
  "unbounded",
  "long-transaction",
  "missing-index",
  "unindexed-sort",
  "full-scan",
  "misjudged",
  "turned-plan",
  "slow",
] as const;

/** A kind of waste that a ledger may show. */
export type FindingKind = (typeof findingKinds)[number];
