const sources = import.meta.glob<string>("../catalogue/*.ts", { query: "?raw", import: "default", eager: true });

/** A query to begin with. */
export interface Entry {
  readonly name: string;
  readonly about: string;
  readonly text: string;
}

/** The queries that come with the page; the first line of each says what it is. */
export const catalogue: readonly Entry[] = Object.entries(sources).map(([path, source]) => {
  const [first = "", ...text] = source.split("\n");
  return { name: path.replace(/^.*\d+-(\w+)\.ts$/, "$1"), about: first.replace(/^\/\/ /, ""), text: text.join("\n") };
});
