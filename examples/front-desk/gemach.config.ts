import type { ProjectSettings } from "gemach/config";

const { FRONT_DESK_DATABASE = "sqlite:front-desk.sqlite", FRONT_DESK_DRAFTS } = process.env;

/** Where migrations are drafted for other engines: URLs, with commas between them. */
const drafts = FRONT_DESK_DRAFTS?.split(",") ?? [];

export default {
  databases: {
    desk: FRONT_DESK_DATABASE,
    ...Object.fromEntries(drafts.map((url) => [new URL(url).protocol.slice(0, -1), url])),
  },
  model: "model/society.ts",
} satisfies ProjectSettings;
