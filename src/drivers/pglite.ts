import type { Driver, Request, Run, WireRows } from "../run/index.js";
import { postgresError } from "./postgres-error.js";
/** How values go to and fro: as the text that PostgreSQL itself reads and writes. */
export interface PgliteOptions {
  readonly rowMode: "array";
  readonly parsers: Readonly<Record<number, (value: string) => string>>;
  readonly serializers: Readonly<Record<number, (value: unknown) => string>>;
}

/** What takes queries: a database, or a transaction on it. */
export interface PgliteQueries {
  // biome-ignore lint/suspicious/noExplicitAny: the package types its options more narrowly than it reads them
  query(text: string, parameters: any[], options: any): Promise<PgliteAnswer>;
}

/** What is used of an answer. */
export interface PgliteAnswer {
  readonly rows: unknown[];
  readonly affectedRows?: number;
}

/** A database of `@electric-sql/pglite` (`new PGlite()`). */
export interface PgliteDatabase extends PgliteQueries {
  transaction<R>(work: (transaction: PgliteQueries) => Promise<R>): Promise<R>;
}

/** The types that the package would parse or serialise itself, each with its array (catalogue pg_type). */
const parsedTypes = [
  ...[16, 1000, 17, 1001, 20, 1016, 21, 1005, 23, 1007, 25, 1009, 26, 1028, 114, 199, 700, 1021, 701, 1022],
  ...[1042, 1014, 1043, 1015, 1082, 1182, 1083, 1183, 1114, 1115, 1184, 1185, 1186, 1187, 1700, 1231, 2950, 2951],
  ...[3802, 3807],
];

const asText = <T>(convert: (value: T) => string): Readonly<Record<number, (value: T) => string>> =>
  Object.fromEntries(parsedTypes.map((type) => [type, convert]));

const options: PgliteOptions = {
  rowMode: "array",
  parsers: asText<string>((value) => value),
  serializers: asText<unknown>(String),
};

/** The driver for PostgreSQL in the process, over a database that the caller made and will close. */
export function pglite(database: PgliteDatabase): Driver {
  const runOn =
    (queries: PgliteQueries): Run =>
    async ({ text, parameters, counts }: Request): Promise<WireRows> => {
      try {
        const { rows, affectedRows } = await queries.query(text, [...parameters], options);
        return counts === true ? [[affectedRows ?? 0]] : (rows as WireRows);
      } catch (error) {
        throw postgresError(error, text);
      }
    };
  return {
    dialect: "postgres",
    variant: "in-process",
    answersAtOnce: false,
    run: runOn(database),
    together: (work, isSnapshot = false) =>
      database.transaction(async (transaction) => {
        const run = runOn(transaction);
        if (isSnapshot)
          await run({ text: "set transaction isolation level repeatable read, read only", parameters: [] });
        return await work(run);
      }),
  };
}
