// What most commands of a project do: loaded together, once one of them is asked for.
export { loadProject } from "../project/index.js";
export { adopt, projectOf } from "./adopt.js";
export { apply } from "./apply.js";
export { audit } from "./audit.js";
export { auditRun } from "./audit-run.js";
export { compareQuery } from "./compare.js";
export { completions } from "./completions.js";
export { draft } from "./draft.js";
export { map } from "./map.js";
export { queries } from "./queries.js";
export { verify } from "./verify.js";
