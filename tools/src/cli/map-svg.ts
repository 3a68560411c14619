import { xmlText } from "gemach/tooling";
import type { MapColumn, ModelMap } from "../project/index.js";

// The widths of the letters of the font below, in hundredths of its size, on average; boxes are a little wider than
// they need.
const letter = 6.9;
const line = 18;
const head = 26;
const pad = 10;

const kindOf = ({ kind, isNullable }: MapColumn): string => `${kind}${isNullable ? "?" : ""}`;

/** A point, and a line of such, as the layout gives them. */
interface Point {
  readonly x: number;
  readonly y: number;
}

interface PlacedEdge {
  readonly id: string;
  readonly sections?: readonly {
    readonly startPoint: Point;
    readonly endPoint: Point;
    readonly bendPoints?: readonly Point[];
  }[];
  readonly labels?: readonly {
    readonly text?: string;
    readonly x?: number;
    readonly y?: number;
    readonly width?: number;
  }[];
}

/** The boxes and lines of a layout, with their positions. */
interface Placed {
  readonly width?: number;
  readonly height?: number;
  readonly children?: readonly { readonly id: string; readonly x?: number; readonly y?: number }[];
  readonly edges?: readonly PlacedEdge[];
}

/** The end of a line where a row may be missing, must be, or may be one of many. */
function endOf({ x, y }: Point, before: Point, isMany: boolean, mayBeMissing: boolean): string {
  const length = Math.hypot(x - before.x, y - before.y) || 1;
  const [dx, dy] = [(x - before.x) / length, (y - before.y) / length];
  const at = (back: number, side: number) =>
    `${(x - dx * back - dy * side).toFixed(1)},${(y - dy * back + dx * side).toFixed(1)}`;
  const crow = isMany ? `M${at(10, 0)} L${at(0, 5)} M${at(10, 0)} L${at(0, -5)}` : `M${at(7, 5)} L${at(7, -5)}`;
  const second = mayBeMissing ? "" : isMany ? "" : ` M${at(11, 5)} L${at(11, -5)}`;
  const circle = mayBeMissing
    ? `<circle cx="${at(14, 0).split(",")[0]}" cy="${at(14, 0).split(",")[1]}" r="3.5" class="end"/>`
    : "";
  return `<path d="${crow}${second}" class="mark"/>${circle}`;
}

/** A map as a picture: SVG that needs nothing else, in light and dark. */
export async function svgOf({ entities, relations }: ModelMap): Promise<string> {
  const elk = await import("elkjs/lib/elk.bundled.js");
  // The package's types know nothing of how Node imports it.
  const Elk = elk.default as unknown as new () => { layout(graph: object): Promise<Placed> };
  const sizes = new Map(
    entities.map(({ name, table, columns }) => {
      const names = Math.max(...columns.map((column) => column.name.length), 0);
      const kinds = Math.max(...columns.map((column) => kindOf(column).length), 0);
      const title = name.length + (table === name ? 0 : table.length + 3);
      const width = Math.max((names + kinds + 5) * letter, title * letter) + 2 * pad;
      return [name, { width, height: head + columns.length * line + pad, kindsAt: width - pad }] as const;
    }),
  );
  const said = (name: string, how: string | undefined, usual: string) => (how === usual ? name : `${name} (${how})`);
  const labelOf = ({ name, back, how, backHow, isOne }: (typeof relations)[number]) =>
    back === undefined
      ? said(name, how, "join")
      : `${said(name, how, "join")} / ${said(back, backHow, isOne ? "join" : "batch")}`;
  const graph = await new Elk().layout({
    id: "map",
    layoutOptions: {
      "elk.algorithm": "layered",
      "elk.direction": "RIGHT",
      "elk.edgeRouting": "ORTHOGONAL",
      "elk.layered.spacing.nodeNodeBetweenLayers": "44",
      "elk.spacing.edgeLabel": "3",
      "elk.spacing.nodeSelfLoop": "16",
      "elk.layered.compaction.postCompaction.strategy": "EDGE_LENGTH",
      "elk.spacing.nodeNode": "30",
      "elk.spacing.edgeNode": "18",
      "elk.layered.spacing.edgeEdgeBetweenLayers": "14",
      "elk.aspectRatio": "1.6",
      "elk.layered.nodePlacement.strategy": "NETWORK_SIMPLEX",
    },
    children: entities.map(({ name }) => ({
      id: name,
      width: sizes.get(name)?.width ?? 0,
      height: sizes.get(name)?.height ?? 0,
    })),
    // From what is referred to, so that what many rows of others lead to stands left.
    edges: relations.map((relation, i) => ({
      ...{ id: String(i), sources: [relation.to], targets: [relation.from] },
      labels: [{ id: `l${i}`, text: labelOf(relation), width: labelOf(relation).length * 5.6 + 6, height: 13 }],
    })),
  });
  const [width, height] = [Math.ceil(graph.width ?? 0), Math.ceil(graph.height ?? 0)];
  const lines = (graph.edges ?? []).map(({ id, sections = [], labels = [] }) => {
    const relation = relations[Number(id)] as (typeof relations)[number];
    const drawn = sections.map(({ startPoint, endPoint, bendPoints = [] }) => {
      const points = [startPoint, ...bendPoints, endPoint];
      const path = points.map(({ x, y }, i) => `${i === 0 ? "M" : "L"}${x.toFixed(1)},${y.toFixed(1)}`).join(" ");
      const title = `${relation.from}.${relation.name}: ${relation.how}${relation.back === undefined ? "" : `; ${relation.to}.${relation.back}: ${relation.backHow}`}`;
      return `<path d="${path}" class="line"><title>${xmlText(title)}</title></path>${endOf(startPoint, points[1] as Point, false, relation.mayBeMissing)}${endOf(endPoint, points.at(-2) as Point, !relation.isOne, true)}`;
    });
    const texts = labels.map(
      ({ text = "", x = 0, y = 0 }) =>
        `<text x="${(x + 3).toFixed(1)}" y="${(y + 10).toFixed(1)}" class="label">${xmlText(text)}</text>`,
    );
    return drawn.join("") + texts.join("");
  });
  const boxes = (graph.children ?? []).map(({ id, x = 0, y = 0 }) => {
    const entity = entities.find(({ name }) => name === id) as (typeof entities)[number];
    const size = sizes.get(id) as { width: number; height: number; kindsAt: number };
    const rows = entity.columns.map((column, i) => {
      const at = head + i * line + 14;
      const mark = column.isKey ? "◆" : column.isHeld ? "→" : "";
      return `<text x="${pad}" y="${at}" class="mark-text">${mark}</text><text x="${pad + 14}" y="${at}" class="${column.isKey ? "key" : "column"}">${xmlText(column.name)}</text><text x="${size.kindsAt}" y="${at}" class="kind">${xmlText(kindOf(column))}</text>`;
    });
    const table =
      entity.table === entity.name
        ? ""
        : `<text x="${size.kindsAt}" y="17" class="kind">${xmlText(entity.table)}</text>`;
    return `<g transform="translate(${x.toFixed(1)},${y.toFixed(1)})"><rect width="${size.width.toFixed(1)}" height="${size.height}" rx="5" class="box"/><path d="M0,${head - 2} H${size.width.toFixed(1)}" class="rule"/><text x="${pad}" y="17" class="name">${xmlText(entity.name)}</text>${table}${rows.join("")}</g>`;
  });
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${height + 34}" width="${width}" height="${height + 34}" style="max-width:100%;height:auto" font-family="ui-sans-serif, system-ui, 'DejaVu Sans', sans-serif" font-size="12">
<style>
  :root { --paper: #fbfbf9; --ink: #23262b; --soft: #6c727c; --edge: #8a93a3; --box: #ffffff; --key: #0b5d4d; }
  @media (prefers-color-scheme: dark) { :root { --paper: #17191d; --ink: #e6e8ec; --soft: #9aa2ae; --edge: #7c8798; --box: #20242a; --key: #5fd0b5; } }
  .paper { fill: var(--paper); } .box { fill: var(--box); stroke: var(--edge); } .rule { stroke: var(--edge); stroke-width: .6; }
  text { fill: var(--ink); } .name { font-weight: 600; } .kind { fill: var(--soft); text-anchor: end; } .key, .mark-text { fill: var(--key); }
  .line, .mark { fill: none; stroke: var(--edge); stroke-width: 1.2; } .end { fill: var(--paper); stroke: var(--edge); stroke-width: 1.2; }
  .label { fill: var(--soft); font-size: 10px; }
</style>
<rect width="100%" height="100%" class="paper"/>
${lines.join("\n")}
${boxes.join("\n")}
<text x="12" y="${height + 22}" class="label">◆ primary key · → key of another entity · ? may be null · a fork: many rows · a ring: may be none · names: the relation to one row (joined) / the one back (batched where it is to many)</text>
</svg>
`;
}
