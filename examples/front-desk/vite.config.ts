import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

/** The page. */
export default defineConfig({
  root: "page",
  plugins: [react()],
  build: { outDir: "../dist/page", emptyOutDir: true, chunkSizeWarningLimit: 1500 },
});
