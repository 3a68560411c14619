// Draws the rooms of the library and its tools from their imports, for docs/architecture.md, between the marks there.
// Usage: node scripts/rooms.mjs prints the drawing; with --write it puts it into the document.
import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { fileURLToPath } from "node:url";

const root = fileURLToPath(new URL("..", import.meta.url));
const sources = [`${root}src/`, `${root}tools/src/`];
const document = `${root}docs/architecture.md`;
const [begin, end] = ["<!-- rooms: drawn by scripts/rooms.mjs -->", "<!-- rooms: end -->"];

const placed = sources.flatMap((source) =>
  readdirSync(source, { recursive: true, encoding: "utf8" })
    .map((file) => file.replaceAll("\\", "/"))
    .filter((file) => file.endsWith(".ts") && file.includes("/"))
    .map((file) => ({ source, file })),
);
const files = placed.map(({ file }) => file);
const roomOf = (file) => file.slice(0, file.indexOf("/"));
/** The rooms of the other package. */
const tools = new Set(placed.filter(({ source }) => source === sources[1]).map(({ file }) => roomOf(file)));
/** Of the library, what its tools import by the names of its entries. */
const entryRooms = {
  gemach: ["ledger", "tables"],
  "gemach/tooling": ["tooling"],
  "gemach/config": ["settings"],
  "gemach/schema": ["schema"],
};

/** The rooms that a room's files import from, of types too. */
const imported = new Map();
for (const { source, file } of placed) {
  const room = roomOf(file);
  const others = imported.get(room) ?? new Set();
  imported.set(room, others);
  const text = readFileSync(source + file, "utf8");
  for (const [, name] of text.matchAll(/from "(gemach[^"]*)"/g))
    for (const one of entryRooms[name] ?? ["drivers"]) others.add(one);
  for (const [, name] of text.matchAll(/from "((?:\.\.\/)+[^"]+)"/g)) {
    const path = new URL(name, `file:///${file}`).pathname.slice(1);
    if (path.includes("/") && roomOf(path) !== room) others.add(roomOf(path));
  }
}

/** How many rooms lie to the left of one, at most. */
const depthOf = (room) => Math.max(0, ...[...imported.get(room)].map((other) => depthOf(other) + 1));
const rooms = [...imported.keys()].sort((a, b) => depthOf(a) - depthOf(b) || (a < b ? -1 : 1));

/** All rooms that one knows, itself or by others. */
const reached = (room) => new Set([...imported.get(room)].flatMap((other) => [other, ...reached(other)]));

/** Arrows that no way over other rooms says already. */
const arrows = rooms.flatMap((room) => {
  const direct = [...imported.get(room)];
  const needed = direct.filter((other) => !direct.some((between) => between !== other && reached(between).has(other)));
  return needed.sort().map((other) => `  ${other} --> ${room}`);
});

const folders = (room) =>
  [...new Set(files.filter((file) => roomOf(file) === room).map((file) => file.split("/").slice(1, -1).join("/")))]
    .filter((folder) => folder !== "")
    .sort();
const rows = rooms.map((room) => {
  const inside = folders(room);
  return `| ${room}${tools.has(room) ? " (tools)" : ""} | ${[...imported.get(room)].sort((a, b) => rooms.indexOf(a) - rooms.indexOf(b)).join(", ") || "nothing"} | ${inside.join(", ")} |`;
});

/** The drawing: arrows go the way that data goes, from who is known to who knows. */
export const drawing = [
  begin,
  "```mermaid",
  "flowchart LR",
  ...arrows,
  "```",
  "",
  "| room | knows | folders in it |",
  "| --- | --- | --- |",
  ...rows,
  end,
].join("\n");

/** What the document has between the marks. */
export const drawn = () => {
  const text = readFileSync(document, "utf8");
  return text.slice(text.indexOf(begin), text.indexOf(end) + end.length);
};

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  if (process.argv.includes("--write"))
    writeFileSync(document, readFileSync(document, "utf8").replace(drawn(), drawing));
  else console.log(drawing);
}
