export { fill, generate, type Society } from "./generate.js";
export { lending } from "./lending.js";
export { runStory, type ShownChapter } from "./story.js";
