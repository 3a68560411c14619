import { fileURLToPath } from "node:url";
import { defineConfig } from "vitest/config";

const source = (path: string): string => fileURLToPath(new URL(`src/${path}`, import.meta.url));

export default defineConfig({
  resolve: {
    alias: [
      { find: /^gemach$/, replacement: source("index.ts") },
      { find: /^gemach-tools\/readable$/, replacement: source("../tools/src/cli/readable.ts") },
      { find: /^gemach\/tooling$/, replacement: source("tooling/index.ts") },
      { find: /^gemach\/matchers$/, replacement: source("testing/matchers.ts") },
      { find: /^gemach\/diagnostics$/, replacement: source("telemetry/diagnostics.ts") },
      { find: /^gemach\/opentelemetry$/, replacement: source("telemetry/open-telemetry.ts") },
      { find: /^gemach\/config$/, replacement: source("settings/index.ts") },
      { find: /^gemach\/schema$/, replacement: source("schema/entry.ts") },
      { find: /^gemach\/testing$/, replacement: source("testing/index.ts") },
      { find: /^gemach\/([\w-]+)$/, replacement: source("drivers/$1.ts") },
    ],
  },
  test: {
    include: ["test/**/*.test.ts"],
    globalSetup: "test/support/global-setup.ts",
    setupFiles: ["test/support/seed.ts", "test/support/checked-statements.ts"],
    // A machine that is busy with other things takes several times as long, which is no fault of what is tested.
    testTimeout: 180_000,
    hookTimeout: 180_000,
    // Two cores, and servers that are waited for: a third worker fills the time.
    maxWorkers: 3,
    // Every test makes its own databases, so files share loaded modules: a fifth less time.
    isolate: false,
  },
});
