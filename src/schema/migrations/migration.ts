import type { Transaction } from "../../database/index.js";
import { toolError } from "../../errors/index.js";
import type { TableReference } from "../../model/index.js";
import type { DialectName } from "../../sql/index.js";
import { isQuotedSql, unquotedSql } from "../../written/index.js";
import { partsOf } from "../text/statements.js";

/** A step in the life of a schema, as its files have it, for one engine. */
export interface Migration {
  readonly number: number;
  /** By which a database knows whether it ran: no two have the same. */
  readonly name: string;
  /** Its text of SQL, or of code. */
  readonly content: string;
  /** The text that undoes it; undefined where nothing says. */
  readonly undo?: string | undefined;
  /** Code instead of SQL. */
  readonly code?: MigrationCode | undefined;
}

/** A migration that is code: each of its functions gets the transaction that it is to work in. */
export interface MigrationCode {
  readonly forward: (tx: Transaction) => unknown;
  readonly undo?: (tx: Transaction) => unknown;
}

/** A query that must find nothing before a migration begins, and what it would mean if it did. */
export interface Precondition {
  readonly meaning: string;
  readonly query: string;
}

/** The statements of a text of SQL, and the remarks in it that the library reads. */
export interface Script {
  readonly statements: readonly string[];
  readonly preconditions: readonly Precondition[];
  /** Whether its statements cannot be one transaction. */
  readonly isApart: boolean;
  /** Tables that are there already where a database existed before its first migration. */
  readonly startsWith: readonly TableReference[];
}

/** Remarks that the library reads, each at the beginning of a line and outside of statements. */
export const remarks = {
  precondition: "-- must find nothing:",
  apart: "-- not in one transaction",
  start: "-- starting point:",
} as const;

/** Reads a text of a migration. */
export function scriptOf(text: string, dialect: DialectName): Script {
  const preconditions: Precondition[] = [];
  const startsWith: TableReference[] = [];
  let isApart = false;
  const { statements, remarks: lines } = partsOf(text, dialect);
  for (const [i, line] of lines.entries()) {
    if (line.startsWith(remarks.precondition)) {
      const after = lines.slice(i + 1);
      const end = after.findIndex((one) => !isQuotedSql(one));
      const query = unquotedSql(end < 0 ? after : after.slice(0, end));
      preconditions.push({ meaning: line.slice(remarks.precondition.length).trim(), query });
    }
    if (line.startsWith(remarks.apart)) isApart = true;
    if (line.startsWith(remarks.start))
      for (const one of JSON.parse(line.slice(remarks.start.length)) as (string | [string, string])[])
        startsWith.push(
          typeof one === "string" ? { schema: undefined, table: one } : { schema: one[0], table: one[1] },
        );
  }
  return { statements, preconditions, isApart, startsWith };
}

/** "003-rename-price" */
export const labelOf = ({ number, name }: Pick<Migration, "number" | "name">): string =>
  `${String(number).padStart(3, "0")}-${name}`;

/** Returns the SHA-256 of a text, whatever ends its lines. */
export async function checksumOf(text: string): Promise<string> {
  const bytes = new TextEncoder().encode(text.replaceAll("\r\n", "\n").trimEnd());
  const digest = new Uint8Array(await crypto.subtle.digest("SHA-256", bytes));
  return [...digest].map((byte) => byte.toString(16).padStart(2, "0")).join("");
}

/**
 * The migration of a number, a name, or both.
 * @throws GemachError `MIGRATION_UNKNOWN`
 */
export function migrationNamed<M extends Pick<Migration, "number" | "name">>(
  migrations: readonly M[],
  name: string,
): M {
  const found = migrations.find(
    (one) => one.name === name || labelOf(one) === name || (/^\d+$/.test(name) && Number(name) === one.number),
  );
  if (found !== undefined) return found;
  throw toolError("MIGRATION_UNKNOWN", { name, known: migrations.map(labelOf) });
}
