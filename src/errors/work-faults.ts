import { define } from "./define.js";

/** Faults of units of work alone: a program that has none does not load their texts. */
const all = () =>
  ({
    KEY_PENDING: define(
      (n: { entity: string; column: string }) =>
        `The new ${n.entity} has no ${n.column} yet: the database gives it when the row is written.`,
      "Read it after await w.flush(); relations take the entity itself in place of its key.",
    ),
    RELATION_UNSETTABLE: define(
      (n: { entity: string; relation: string; reason: string }) =>
        `${n.entity}.${n.relation} cannot be set: ${n.reason}.`,
      "Set the to-one relation that holds the key, or add and remove the rows themselves by w.add and w.remove.",
    ),
    PATCH_REFUSED: define(
      (n: {
        entity: string;
        issues: readonly {
          readonly message: string;
          readonly path?: readonly (PropertyKey | { readonly key: PropertyKey })[] | undefined;
        }[];
      }) =>
        `The document for a ${n.entity} has ${n.issues.length === 1 ? "a mistake" : `${n.issues.length} mistakes`}:\n${n.issues
          .map(
            ({ message, path = [] }) =>
              `  - /${path.map((part) => String(typeof part === "object" ? part.key : part)).join("/")} ${message}`,
          )
          .join("\n")}`,
      "Answer with the issues, each of which has the path to its place; nothing of the document was applied.",
    ),
    WORK_FAILED: define(
      (_: Readonly<Record<never, never>>) =>
        "Writing the changes of the unit of work has failed: nothing of it is committed.",
      "Let the error of flush out, which is the cause, and do the work again.",
    ),
    KEY_REPEATED: define(
      (n: { entity: string }) =>
        `Two rows of ${n.entity} have the same primary key, so that they cannot be two entities.`,
      "Correct the table, which lacks the constraint; or mark the columns that tell its rows apart with .key. Plain rows come by db.list.",
    ),
    KEY_CHANGED: define(
      (n: { column: string }) =>
        `${n.column} is part of the primary key, which tells a row apart: it cannot be changed on a live entity.`,
      "Change it by db.update, or add a new row and remove the old one.",
    ),
    ROWS_CIRCULAR: define(
      (n: {
        entities: readonly string[];
        /** Whether they are to be deleted, and not inserted. */
        isRemoved?: boolean;
      }) =>
        `${n.isRemoved === true ? "Removed" : "New"} rows of ${n.entities.join(", ")} refer to each other in a circle, and no column of it may be null. Nothing was sent.`,
      (n) =>
        n.isRemoved === true
          ? 'Make one of the keys nullable, or let the database delete them together (onDelete: "cascade").'
          : "Make one of the keys nullable, or leave one of the relations out and set it after await w.flush().",
    ),
    VALUES_TANGLED: define(
      (n: { entity: string; columns: readonly string[] }) =>
        `Rows of ${n.entity} exchange unique values of ${n.columns.join(", ")}, and there is no order in which they can be written, nor another value for one of them meanwhile. Nothing was sent.`,
      "Write them in two steps with await w.flush() between, by way of a value that no row has; or make the column nullable.",
    ),
  }) as const;

export type WorkFaults = ReturnType<typeof all>;
let made: WorkFaults | undefined;

/** The faults of units of work, by code. */
export function workFaults(): WorkFaults {
  made ??= all();
  return made;
}
