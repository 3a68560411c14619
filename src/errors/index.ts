export { type FaultCode, type FaultNames, faults } from "./faults.js";
export { GemachError } from "./gemach-error.js";
export { didYouMean } from "./suggest.js";
