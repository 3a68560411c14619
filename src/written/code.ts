import { escaped, oneLine, visible } from "./visible.js";

/** A text as a literal of JavaScript or JSON. */
export const stringText = (text: string): string => escaped(JSON.stringify(text));

/** A name where a property is named; one that would be the prototype is computed. */
export function propertyText(name: string): string {
  if (name === "__proto__") return '["__proto__"]';
  return /^[\p{ID_Start}_$][\p{ID_Continue}$]*$/u.test(name) && visible(name) === name ? name : stringText(name);
}

/** A value as a literal of JavaScript. */
export function literalText(value: unknown): string {
  if (typeof value === "bigint") return `${value}n`;
  if (typeof value === "string") return stringText(value);
  if (Array.isArray(value)) return `[${value.map(literalText).join(", ")}]`;
  if (typeof value === "object" && value !== null)
    return `{ ${Object.entries(value)
      .filter(([, one]) => one !== undefined)
      .map(([name, one]) => `${propertyText(name)}: ${literalText(one)}`)
      .join(", ")} }`;
  return String(JSON.stringify(value));
}

/** A text as a template literal, which has what nobody sees as escapes too. */
export const templateText = (text: string): string =>
  `\`${escaped(text.replaceAll("\\", "\\\\").replaceAll("`", "\\`").replaceAll("${", "\\${").replaceAll("\r", "\\r"))}\``;

/** A remark of one line of TypeScript. */
export const codeRemark = (text: string): string => `// ${oneLine(text)}`;

/** The lines of a doc comment. */
export function docComment(text: string): readonly string[] {
  const lines = text
    .replaceAll("*/", "* /")
    .trim()
    .split(/\r\n|[\n\r\v\f\u0085\u2028\u2029]/)
    .map(visible);
  return lines.length === 1 ? [`/** ${lines[0]} */`] : ["/**", ...lines.map((line) => ` * ${line}`.trimEnd()), " */"];
}

/** Words that no constant of a module can be called by. */
const reserved = new Set(
  (
    "arguments await break case catch class const continue debugger default delete do else enum eval export extends false finally for function " +
    "if implements import in instanceof interface let new null package private protected public return static super switch this throw true try " +
    "typeof undefined var void while with yield"
  ).split(" "),
);

/** Whether a text can be the name of a constant or a class. */
export const isConstant = (name: string): boolean => propertyText(name) === name && !reserved.has(name);
