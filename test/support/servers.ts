import pg from "pg";

/** Where the PostgreSQL server of the tests is. */
export const postgresUrl = process.env.GEMACH_POSTGRES_URL ?? "postgres://postgres@127.0.0.1:5432/postgres";

/** Whether a PostgreSQL server answers there, or why not. */
export async function postgresAnswers(): Promise<true | string> {
  const client = new pg.Client({ connectionString: postgresUrl, connectionTimeoutMillis: 3000 });
  try {
    await client.connect();
    await client.query("select 1");
    return true;
  } catch (error) {
    const { message, code } = error as { message?: string; code?: string };
    return message || code || "no answer";
  } finally {
    await client.end().catch(() => {});
  }
}
