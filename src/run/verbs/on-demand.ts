// What few programs use: read when it is first asked for (late.ts).
export { explainSent, explainSteps } from "../watching/explain.js";
export { explainingDriver } from "../watching/explain-work.js";
export { hiddenCheck } from "./references.js";
export { updatingRows } from "./update-rows.js";
export { detailed } from "./violated.js";
