export { layOut, layOutText } from "./lay-out.js";
