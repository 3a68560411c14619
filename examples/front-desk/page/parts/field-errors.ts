import { ProblemError } from "../api.js";

/** What a problem says of fields, by their names in a form: "/repairs/0/what" is "repairs.0.what". */
export function fieldErrors(error: unknown): Readonly<Record<string, string>> {
  if (!(error instanceof ProblemError)) return {};
  const { errors = [] } = error.problem;
  return Object.fromEntries(errors.map(({ pointer, detail }) => [pointer.slice(1).replaceAll("/", "."), detail]));
}
