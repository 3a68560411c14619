import type { SentStatement } from "../../run/index.js";
import { findChattyWrites } from "./chatty-write.js";
import { findEchoes } from "./echo.js";
import type { Finder, Finding, FindingKind } from "./finding.js";
import { findRepeats } from "./repeat.js";

/** What looks for each kind of waste. */
const finders: Readonly<Record<FindingKind, Finder>> = {
  repeat: findRepeats,
  echo: findEchoes,
  "chatty-write": findChattyWrites,
};

/** All that was found in what was sent, the costliest first. */
export const findingsOf = (statements: readonly SentStatement[]): readonly Finding[] =>
  Object.values(finders)
    .flatMap((find) => find(statements))
    .toSorted((a, b) => b.statements.length - a.statements.length);
