import { readdirSync, readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { dirname, join } from "node:path";
import { gzipSync } from "node:zlib";
import react from "@vitejs/plugin-react";
import { defineConfig, type Plugin } from "vite";

const require = createRequire(import.meta.url);

/** The texts that the editor's compiler reads: the language's own types, the library's, the model's. */
function typeFiles(): Plugin {
  const name = "virtual:type-files";
  return {
    name,
    resolveId: (id) => (id === name ? `\0${name}` : undefined),
    load(id) {
      if (id !== `\0${name}`) return undefined;
      const language = dirname(require.resolve("typescript-js"));
      const library = join(dirname(require.resolve("gemach/package.json")), "dist");
      const files: Record<string, string> = {
        "/lending.ts": readFileSync(join(import.meta.dirname, "lending/lending.ts"), "utf8"),
      };
      for (const file of readdirSync(language))
        if (/^lib\.(es(5|20\d\d)|decorators)[\w.]*d\.ts$/.test(file))
          files[`/${file}`] = readFileSync(join(language, file), "utf8");
      for (const file of readdirSync(library))
        if (/^(index|chunk-[\w-]+)\.d\.ts$/.test(file))
          files[`/types/${file}`] = readFileSync(join(library, file), "utf8");
      return `export default JSON.parse(${JSON.stringify(JSON.stringify(files))});`;
    },
  };
}

/** A service worker that keeps all that was built, so that the page opens without a network. */
function offline(): Plugin {
  return {
    name: "offline",
    apply: "build",
    generateBundle(_, bundle) {
      const source = readFileSync(join(import.meta.dirname, "workers/offline.js"), "utf8");
      const files = ["./", ...Object.keys(bundle).filter((file) => !file.endsWith(".map"))];
      this.emitFile({
        type: "asset",
        fileName: "offline.js",
        source: source.replace('["built files"]', JSON.stringify(files)),
      });
    },
  };
}

/**
 * Says how large the page's own code is, with the library; and, once the page is served, where it is and what to try.
 */
function tells(): Plugin {
  return {
    name: "tells",
    writeBundle({ dir = "" }, bundle) {
      const own = Object.keys(bundle).filter((file) => /^assets\/(index|engine)-.*\.(js|css)$/.test(file));
      const sizes = own.map((file) => gzipSync(readFileSync(join(dir, file)), { level: 9 }).length);
      const sum = sizes.reduce((total, size) => total + size, 0);
      this.info(`the page's own code, with the library and its styles: ${Math.round(sum / 1000)} kB gzipped`);
    },
    configurePreviewServer({ httpServer }) {
      httpServer.once("listening", () =>
        console.log(`
The page is served. Things to try:
  pick a query, open its rows, and look at what every strategy would send
  change it: the editor knows the types; Ctrl and Enter runs it
  choose PostgreSQL, and compare the plans
  send its address to somebody`),
      );
    },
  };
}

export default defineConfig({
  root: "page",
  base: "./",
  plugins: [react(), offline(), tells()],
  worker: { format: "es", plugins: () => [typeFiles()] },
  optimizeDeps: { exclude: ["@sqlite.org/sqlite-wasm", "@electric-sql/pglite"] },
  preview: { host: "127.0.0.1", port: 4181 },
  build: {
    outDir: "../dist",
    emptyOutDir: true,
    target: "es2022",
    chunkSizeWarningLimit: 10_000,
    // The compiler is large, and takes its time.
    rolldownOptions: { checks: { pluginTimings: false } },
  },
});
