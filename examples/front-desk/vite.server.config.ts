import { defineConfig } from "vite";

/** The server; its packages stay packages. */
export default defineConfig({
  ssr: { external: true },
  build: { ssr: "server/main.ts", outDir: "dist/server", target: "node20", sourcemap: true },
});
