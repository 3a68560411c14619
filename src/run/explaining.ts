export { explainSent, explainSteps } from "./explain.js";
export { explainingDriver } from "./explain-work.js";
