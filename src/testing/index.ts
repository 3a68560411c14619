export { undone } from "../database/index.js";
export { inMemory } from "./in-memory.js";
