import { hc } from "hono/client";
import type { DeskInterface } from "../server/app.js";
import type { ProblemDocument } from "../server/problems.js";
import type { Way } from "../server/view.js";

/** The server's interface, with its types: of what is asked, and of what comes back. */
export const api = (way: Way = "good") => hc<DeskInterface>("/api", { headers: { "x-way": way } });

/** What the server would not do, and why. */
export class ProblemError extends Error {
  readonly problem: ProblemDocument;

  constructor(problem: ProblemDocument) {
    super(problem.title);
    this.problem = problem;
  }
}

interface Answer<T> {
  readonly ok: boolean;
  readonly status: number;
  json(): Promise<T>;
}

/** What a request gave; a problem is thrown. */
export async function answer<T>(sent: Promise<Answer<T>>): Promise<T> {
  const response = await sent.catch(() => {
    throw new ProblemError({ type: "/problems/unreached", title: "The desk's server cannot be reached.", status: 0 });
  });
  if (!response.ok) throw new ProblemError((await response.json()) as ProblemDocument);
  return response.status === 204 ? (undefined as T) : await response.json();
}
