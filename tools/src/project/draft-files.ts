import type { Dialect, DialectName } from "gemach";
import { type Draft, migrationText, onlineSteps, startText, undoText } from "gemach/schema";
import { type Block, labelOf, type Obstacle, sqlRemark, type TableLayout, tableLabel } from "gemach/tooling";
import type { Project } from "./load.js";
import { writeMigration } from "./migration-folder.js";

/** A draft for one engine. */
export interface EngineDraft extends Draft {
  readonly engine: DialectName;
  readonly database: string;
  readonly blocks: readonly (Block & { readonly rows: number | undefined })[];
  /** What of its preconditions does not hold on the database now. */
  readonly obstacles: readonly Obstacle[];
}

/** What is written of a draft. */
interface Written {
  readonly number: number;
  readonly name: string;
  readonly drafts: readonly EngineDraft[];
  readonly dialects: ReadonlyMap<DialectName, Dialect>;
  /** Whether it is written in steps that keep nobody waiting. */
  readonly isOnline: boolean;
}

/**
 * The steps of a draft: one, or several that keep nobody waiting; SQLite, which makes tables anew, has one in any case.
 */
function stepsOf(draft: EngineDraft, dialect: Dialect, isOnline: boolean) {
  if (isOnline && dialect.name !== "sqlite") return onlineSteps(draft.transition, dialect);
  return [{ ...draft, ending: "" as const, isApart: false }];
}

/** Writes the files of a draft; gives their names, and those of the migrations. */
export function writeDraft(project: Project, { number, name, drafts, dialects, isOnline }: Written) {
  const own = drafts.map((draft) => {
    const dialect = dialects.get(draft.engine) as Dialect;
    return { draft, dialect, steps: stepsOf(draft, dialect, isOnline) };
  });
  const endings = (["", "-online", "-after", "-settled"] as const).filter((ending) =>
    own.some(({ steps }) => steps.some((step) => step.ending === ending)),
  );
  const files: string[] = [];
  const labels: string[] = [];
  for (const [i, ending] of endings.entries()) {
    const label = labelOf({ number: number + i, name: `${name}${ending}` });
    labels.push(label);
    const texts = own.map(({ draft, dialect, steps }) => {
      const step = steps.find((one) => one.ending === ending);
      // An engine that has nothing to do at this step says so by a file without statements.
      if (step === undefined)
        return [draft.engine, { forward: `${sqlRemark(`${label}: nothing to do here.`)}\n`, undo: "" }] as const;
      const blocks = isOnline ? [] : draft.blocks.map(({ table, effect }) => `blocks: ${tableLabel(table)}: ${effect}`);
      return [
        draft.engine,
        { forward: migrationText(step, label, dialect, blocks), undo: undoText(step, label, dialect) },
      ] as const;
    });
    files.push(...writeMigration(project, label, Object.fromEntries(texts)));
  }
  return { labels, files };
}

/** Writes the migration that says what was there before the first one. */
export const writeStart = (
  project: Project,
  label: string,
  dialects: ReadonlyMap<DialectName, Dialect>,
  bases: ReadonlyMap<DialectName, readonly TableLayout[]>,
): readonly string[] =>
  writeMigration(
    project,
    label,
    Object.fromEntries(
      [...dialects].map(([engine, dialect]) => [
        engine,
        { forward: startText(bases.get(engine) ?? [], dialect), undo: undefined },
      ]),
    ),
  );
