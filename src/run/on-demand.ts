// What few programs use: read when it is first asked for (late.ts).
export { explainSent, explainSteps } from "./explain.js";
export { explainingDriver } from "./explain-work.js";
export { hiddenCheck } from "./references.js";
export { updatingRows } from "./update-rows.js";
export { detailed } from "./violated.js";
