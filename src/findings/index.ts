export { type Accepted, findingsOf } from "./finders.js";
export type { Finder, Finding, Severity } from "./finding.js";
export { type FindingKind, findingKinds } from "./kinds.js";
export { type LedgerRecord, type LedgerStatement, type Thresholds, usualThresholds } from "./record.js";
export { openRecording, type Recorded, recording } from "./recording.js";
export { handOut, type ReadProperty, type ReadTally } from "./tally.js";
