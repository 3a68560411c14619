/** The engines that run in a page. */
export const engines = { sqlite: "SQLite", pglite: "PostgreSQL" } as const;
export type EngineName = keyof typeof engines;

/** A statement that was sent. */
export interface Sent {
  readonly text: string;
  readonly purpose: string;
  readonly rows: number;
  readonly milliseconds: number;
}

/** A step of an execution plan. */
export interface Step {
  readonly label: string;
  readonly steps: readonly Step[];
}

/** What a query gave, and what it cost. */
export interface Outcome {
  /** The first rows of them. */
  readonly rows: readonly unknown[];
  readonly count: number;
  readonly milliseconds: number;
  readonly sent: readonly Sent[];
  readonly findings: readonly { readonly kind: string; readonly evidence: string; readonly remedy: string }[];
  readonly plans: readonly Step[];
}

/** The statements of a query by a strategy, in a dialect; or why there are none. */
export interface Texts {
  readonly dialect: string;
  readonly strategy: string;
  readonly statements: readonly { readonly purpose: string; readonly text: string }[];
  readonly error?: string;
}

/** What went wrong, in words for whoever wrote the query. */
export interface Wrong {
  readonly error: string;
}
