import mysql from "mysql2/promise";
import pg from "pg";

/** Where the servers of the tests are. */
export const postgresUrl = process.env.GEMACH_POSTGRES_URL ?? "postgres://postgres@127.0.0.1:5432/postgres";
export const mariadbUrl = process.env.GEMACH_MARIADB_URL ?? "mysql://root@127.0.0.1:3306/test";

async function answer(ask: () => Promise<unknown>): Promise<true | string> {
  try {
    await ask();
    return true;
  } catch (error) {
    const { message, code } = error as { message?: string; code?: string };
    return message || code || "no answer";
  }
}

/** Whether a PostgreSQL server answers there, or why not. */
export const postgresAnswers = (): Promise<true | string> =>
  answer(async () => {
    const client = new pg.Client({ connectionString: postgresUrl, connectionTimeoutMillis: 3000 });
    await client.connect();
    await client.end();
  });

/** Whether a MariaDB server answers there, or why not. */
export const mariadbAnswers = (): Promise<true | string> =>
  answer(async () => {
    const connection = await mysql.createConnection({ uri: mariadbUrl, connectTimeout: 3000 });
    await connection.end();
  });
