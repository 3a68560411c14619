import { GemachError } from "gemach";

/** What is wrong with one field of a request; `pointer` says which (RFC 6901). */
export interface FieldProblem {
  readonly pointer: string;
  readonly detail: string;
}

/** A problem document (RFC 9457); `current` has what is there by now, where somebody else changed it. */
export interface ProblemDocument {
  readonly type: string;
  readonly title: string;
  readonly status: number;
  readonly detail?: string;
  readonly errors?: readonly FieldProblem[];
  readonly current?: unknown;
}

/** A request that is answered by a problem document. */
export class Problem extends Error {
  readonly document: ProblemDocument;

  constructor(status: number, name: string, title: string, more: Partial<ProblemDocument> = {}) {
    super(title);
    this.document = { type: `/problems/${name}`, title, status, ...more };
  }
}

export const notFound = (what: string): Problem =>
  new Problem(404, "not-found", `There is no such ${what} at this desk.`);

interface Issue {
  readonly message: string;
  readonly path?: readonly (PropertyKey | { readonly key: PropertyKey })[] | undefined;
}

/** Where an issue of a schema is, as a JSON Pointer. */
const pointerOf = ({ path = [] }: Issue): string =>
  path
    .map(
      (step) =>
        `/${String(typeof step === "object" ? step.key : step)
          .replaceAll("~", "~0")
          .replaceAll("/", "~1")}`,
    )
    .join("");

/** What rules of the model, or of a schema, say of a request, field by field. */
export const fieldsInvalid = (issues: readonly Issue[]): Problem =>
  new Problem(422, "invalid", "Some of what was sent is not as it must be.", {
    errors: issues.map((issue) => ({ pointer: pointerOf(issue), detail: issue.message })),
  });

const conflicts: Readonly<Record<string, string>> = {
  CONFLICT: "Somebody else changed this meanwhile.",
  DEADLOCK: "Somebody else changed this at the same moment.",
  SERIALIZATION_FAILED: "Somebody else changed this at the same moment.",
};

/** The problem that an error of the library is to whoever sent the request. */
function problemOf(error: GemachError): Problem | undefined {
  const { code } = error;
  if (error.is("PATCH_REFUSED")) return fieldsInvalid(error.names.issues);
  if (code in conflicts) return new Problem(409, "conflict", conflicts[code] as string);
  if (code === "CURSOR_UNFIT") return new Problem(400, "cursor", "This is no place in that list: begin it anew.");
  if (code === "NONE_FOUND") return notFound("thing");
  if (code === "STANDING_BROKEN" || code === "REFERENCE_HIDDEN")
    return new Problem(403, "district", "That belongs to another district.");
  if (error.is("UNIQUE_VIOLATED") || error.is("FOREIGN_KEY_VIOLATED")) {
    const detail = error.is("UNIQUE_VIOLATED") ? "is taken already" : "leads to nothing, or something leads to it";
    return new Problem(409, "refused", "The database keeps its rules: this breaks one of them.", {
      errors: (error.names.columns ?? []).map((column) => ({ pointer: `/${column}`, detail })),
    });
  }
  if (error.is("CHECK_VIOLATED"))
    return new Problem(409, "refused", "The database keeps its rules: this breaks one of them.", {
      detail: error.names.constraint ?? "",
    });
  if (code === "TIME_LIMIT_PASSED") return new Problem(503, "busy", "The desk is too busy at the moment. Try again.");
  return undefined;
}

/** What an error is answered by. What nobody has foreseen is told to the log alone. */
export function answerOf(error: unknown): ProblemDocument {
  if (error instanceof Problem) return error.document;
  const known = error instanceof GemachError ? problemOf(error) : undefined;
  if (known !== undefined) return known.document;
  console.error(error);
  return { type: "/problems/unforeseen", title: "Something went wrong at the desk.", status: 500 };
}
