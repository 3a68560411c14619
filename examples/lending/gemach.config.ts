import type { ProjectSettings } from "gemach/config";

export default {
  // `gemach demo` makes it.
  databases: { local: "sqlite:lending.sqlite" },
  model: "model.ts",
  queries: ["queries.ts"],
  samples: { overdue: { today: "2026-06-01" }, search: { words: "ladder" }, loansOf: [7] },
} satisfies ProjectSettings;
