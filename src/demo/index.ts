export { fill, generate, type Society } from "./generate.js";
export { lending } from "./lending.js";
export { type ToldChapter, tell } from "./story.js";
