import { writeFileSync } from "node:fs";
import { modelMap, type Project } from "../project/index.js";
import { mermaidOf } from "./map-mermaid.js";
import { svgOf } from "./map-svg.js";
import { plural, print, printJson } from "./terminal.js";

/** How a model is drawn. */
export interface MapCommand {
  readonly around: string | undefined;
  readonly steps: number;
  readonly format: "svg" | "mermaid" | undefined;
  readonly out: string | undefined;
  readonly json: boolean;
}

/** Draws a model, or what is near to an entity. */
export async function map(project: Project, { around, steps, format, out, json }: MapCommand): Promise<void> {
  const drawn = modelMap(project, around, steps);
  if (json) {
    printJson(drawn);
    return;
  }
  const isMermaid =
    (format ?? (out !== undefined && /\.(?:mmd|mermaid|md)$/.test(out) ? "mermaid" : "svg")) === "mermaid";
  if (out === undefined && isMermaid) {
    print(mermaidOf(drawn).trimEnd());
    return;
  }
  const file = out ?? "map.svg";
  const text = mermaidOf(drawn);
  const source = isMermaid ? (file.endsWith(".md") ? `\`\`\`mermaid\n${text}\`\`\`\n` : text) : await svgOf(drawn);
  writeFileSync(file, source);
  print(
    `wrote ${file}: ${plural(drawn.entities.length, "entity", "entities")}, ${plural(drawn.relations.length, "key")} between them`,
  );
}
