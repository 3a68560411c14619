import type { ModelMap } from "../project/index.js";

const word = (text: string): string => text.replaceAll(/[^\p{L}\p{N}_-]/gu, "_");

/** A map as the text of an entity relationship diagram, which Markdown viewers draw (mermaid.js.org). */
export function mermaidOf({ entities, relations }: ModelMap): string {
  const lines = ["erDiagram"];
  for (const { name, columns } of entities) {
    lines.push(`  ${word(name)} {`);
    for (const { name: column, kind, isKey, isHeld, isNullable } of columns) {
      const marks = [isKey ? "PK" : "", isHeld ? "FK" : ""].filter(Boolean).join(", ");
      lines.push(
        `    ${word(kind)} ${word(column)}${marks === "" ? "" : ` ${marks}`}${isNullable ? ' "may be null"' : ""}`,
      );
    }
    lines.push("  }");
  }
  for (const { from, to, name, back, mayBeMissing, isOne, how, backHow } of relations) {
    const target = mayBeMissing ? "|o" : "||";
    const source = isOne ? "o|" : "o{";
    const label = [`${name} (${how})`, back === undefined ? "" : `${back} (${backHow})`].filter(Boolean).join(" / ");
    lines.push(`  ${word(to)} ${target}--${source} ${word(from)} : "${label}"`);
  }
  return `${lines.join("\n")}\n`;
}
