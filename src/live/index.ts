export { isHere } from "./is-here.js";
export {
  type Cohort,
  LiveBase,
  type LiveKind,
  type LiveObject,
  type LiveShape,
  type LiveState,
  type LiveStatus,
  liveStateOf,
  noteAddedColumn,
  type Properties,
  type Rules,
  type Snapshot,
} from "./live-state.js";
export type { AddedRow, BroughtLive, Lazy, Live, LiveEntity, LiveList, LiveOf } from "./live-types.js";
export { OutsideReachError } from "./outside-reach-error.js";
