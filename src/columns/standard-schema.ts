/**
 * The Standard Schema interface, version 1 (an open specification: standardschema.dev): what form and
 * HTTP libraries ask of a schema. Its names are the specification's.
 */
export interface StandardSchema<Input = unknown, Output = Input> {
  readonly "~standard": {
    readonly version: 1;
    readonly vendor: string;
    readonly validate: (value: unknown) => StandardResult<Output> | Promise<StandardResult<Output>>;
    readonly types?: { readonly input: Input; readonly output: Output } | undefined;
  };
}

/** A value that was found right, or what is wrong with it. */
export type StandardResult<Output> =
  | { readonly value: Output; readonly issues?: undefined }
  | { readonly issues: readonly StandardIssue[] };

/** One thing that is wrong, and where. */
export interface StandardIssue {
  readonly message: string;
  readonly path?: readonly (PropertyKey | { readonly key: PropertyKey })[] | undefined;
}

/** Returns what a schema refuses in a value; one that answers later cannot be asked here. */
export function issuesOf(schema: StandardSchema | undefined, value: unknown): readonly StandardIssue[] {
  const result = schema?.["~standard"].validate(value);
  if (result === undefined) return [];
  return result instanceof Promise ? [{ message: "its schema answers only later (a promise)" }] : (result.issues ?? []);
}
