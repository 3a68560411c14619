export { inMemory } from "./in-memory.js";
export { undone } from "./undone.js";
