export { type Accepted, findingKinds, findingsOf } from "./finders.js";
export { type Finder, type Finding, type FindingKind, type Severity, valuesText } from "./finding.js";
export { type LedgerRecord, type LedgerStatement, type Thresholds, usualThresholds } from "./record.js";
export { openRecording, type Recorded, recording } from "./recording.js";
export { handOut, type ReadProperty, type ReadTally } from "./tally.js";
