export { expectOptions } from "./expect-options.js";
export { type FaultCode, type FaultNames, faults } from "./faults.js";
export { type ErrorDetails, GemachError } from "./gemach-error.js";
export { didYouMean } from "./suggest.js";
export { toolError } from "./tool-error.js";
export { toolFaults } from "./tool-faults.js";
export { workError } from "./work-error.js";
export { workFaults } from "./work-faults.js";
