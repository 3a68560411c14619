export { isHere } from "./is-here.js";
export {
  type Cohort,
  type Kept,
  keptOf,
  type LiveKind,
  type LiveObject,
  type LiveShape,
  noteFurther,
  type Print,
  type Properties,
  type Rules,
  Stamped,
  type Standing,
} from "./kept.js";
export type { AddedRow, BroughtLive, Lazy, Live, LiveEntity, LiveList } from "./live-types.js";
export { OutsideReachError } from "./outside-reach-error.js";
