import { writeFileSync } from "node:fs";
import { parse, View } from "vega";
import { compile, type TopLevelSpec } from "vega-lite";
import { type Cell, excess, keptCells } from "./grid.js";

/** Shapes in the order in which they are drawn. */
const order = ["to-one", "to-many", "to-many with a to-one", "two to-many", "three levels", "newest 3", "linked"];

/** One row of maps for each engine, one column for each shape: how far auto is from the best strategy. */
const chartOf = (cells: readonly Cell[], distance: number): TopLevelSpec => ({
  $schema: "https://vega.github.io/schema/vega-lite/v6.json",
  title: {
    text: `auto by the best strategy, servers ${distance} ms away (one way)`,
    subtitle: "Down: how many rows are listed. Across: how many rows each of their lists has.",
    anchor: "start",
  },
  background: "white",
  data: {
    values: cells
      .filter((cell) => cell.distance === distance)
      .map((cell) => ({ ...cell, times: undefined, ratio: Math.round(excess(cell) * 100) / 100 })),
  },
  facet: {
    row: { field: "engine", sort: ["SQLite", "PGlite", "PostgreSQL", "MariaDB"], title: null },
    column: { field: "shape", sort: order, title: null },
  },
  spec: {
    width: 96,
    height: 128,
    layer: [
      {
        mark: { type: "rect", stroke: "white" },
        encoding: {
          color: {
            field: "ratio",
            type: "quantitative",
            title: "by the best",
            scale: { domain: [1, 1.15, 1.5, 2], range: ["#f2f4f3", "#d5e3dc", "#e2a458", "#a63d2f"], clamp: true },
          },
        },
      },
      {
        mark: { type: "text", fontSize: 9 },
        encoding: {
          text: { field: "ratio", type: "quantitative", format: ".2f" },
          color: { condition: { test: "datum.ratio > 1.7", value: "white" }, value: "#222222" },
        },
      },
    ],
    encoding: {
      x: { field: "children", type: "ordinal", title: null, axis: { labelAngle: 0 } },
      y: { field: "roots", type: "ordinal", title: null, axis: { format: ",d" } },
    },
  },
});

/** Draws what was kept of the grid, a picture for each distance. */
export async function drawGrid(): Promise<readonly string[]> {
  const cells = keptCells();
  const files: string[] = [];
  for (const distance of new Set(cells.map((cell) => cell.distance))) {
    const view = new View(parse(compile(chartOf(cells, distance)).spec), { renderer: "none" });
    const file = `docs/figures/grid-${String(distance).replace(".", "-")}ms.svg`;
    writeFileSync(file, await view.toSVG());
    files.push(file);
  }
  return files;
}
