import { mermaidText, mermaidWord } from "gemach/tooling";
import type { ModelMap } from "../project/index.js";

/** A map as the text of an entity relationship diagram, which Markdown viewers draw (mermaid.js.org). */
export function mermaidOf({ entities, relations }: ModelMap): string {
  const lines = ["erDiagram"];
  const words = new Map<string, string>();
  const taken = new Set<string>();
  for (const { name } of entities) {
    let word = mermaidWord(name);
    while (taken.has(word)) word += "_";
    taken.add(word);
    words.set(name, word);
  }
  for (const { name, columns } of entities) {
    lines.push(`  ${words.get(name)} {`);
    for (const { name: column, kind, isKey, isHeld, isNullable } of columns) {
      const marks = [isKey ? "PK" : "", isHeld ? "FK" : ""].filter(Boolean).join(", ");
      lines.push(
        `    ${mermaidWord(kind)} ${mermaidWord(column)}${marks === "" ? "" : ` ${marks}`}${isNullable ? ' "may be null"' : ""}`,
      );
    }
    lines.push("  }");
  }
  for (const { from, to, name, back, mayBeMissing, isOne, how, backHow } of relations) {
    const target = mayBeMissing ? "|o" : "||";
    const source = isOne ? "o|" : "o{";
    const label = [`${name} (${how})`, back === undefined ? "" : `${back} (${backHow})`].filter(Boolean).join(" / ");
    lines.push(`  ${words.get(to)} ${target}--${source} ${words.get(from)} : ${mermaidText(label)}`);
  }
  return `${lines.join("\n")}\n`;
}
