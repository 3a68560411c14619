import { type ChildProcess, spawn } from "node:child_process";
import { existsSync } from "node:fs";
import { chmod, mkdtemp, rm, writeFile } from "node:fs/promises";
import { createServer } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import pg from "pg";

/** Where Debian puts the connection pooler. */
const places = ["/usr/sbin/pgbouncer", "/usr/bin/pgbouncer"];

export const poolerPlace = (): string | undefined => places.find((place) => existsSync(place));

async function freePort(): Promise<number> {
  const server = createServer();
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  const { port } = server.address() as { port: number };
  await new Promise((resolve) => server.close(resolve));
  return port;
}

/** A connection pooler before a server, which gives each transaction another of a few connections. */
export interface Pooler {
  /** The address of the server's database by way of the pooler. */
  readonly url: string;
  close(): Promise<void>;
}

/** Starts a pooler before a server, with so many connections to it. */
export async function startPooler(serverUrl: string, connections: number): Promise<Pooler> {
  const server = new URL(serverUrl);
  const folder = await mkdtemp(join(tmpdir(), "gemach-pooler-"));
  const port = await freePort();
  const settings = `[databases]
* = host=${server.hostname} port=${server.port || 5432} user=${server.username}${server.password === "" ? "" : ` password=${decodeURIComponent(server.password)}`}
[pgbouncer]
listen_addr = 127.0.0.1
listen_port = ${port}
unix_socket_dir =
auth_type = any
pool_mode = transaction
default_pool_size = ${connections}
max_client_conn = 200
logfile = ${join(folder, "log")}
`;
  await writeFile(join(folder, "settings.ini"), settings);
  for (const path of [folder, join(folder, "settings.ini")]) await chmod(path, 0o777);
  const isRoot = process.getuid?.() === 0;
  const child: ChildProcess = spawn(poolerPlace() as string, [...(isRoot ? ["-u", "nobody"] : []), join(folder, "settings.ini")], { stdio: "ignore" });
  const url = new URL(serverUrl);
  url.hostname = "127.0.0.1";
  url.port = String(port);
  url.password = "";
  const close = async (): Promise<void> => {
    const ended = new Promise((resolve) => (child.exitCode === null ? child.once("exit", resolve) : resolve(undefined)));
    child.kill("SIGTERM");
    await ended;
    await rm(folder, { recursive: true, force: true });
  };
  for (let tries = 0; ; tries++) {
    const client = new pg.Client({ connectionString: url.href });
    try {
      await client.connect();
      await client.end();
      return { url: url.href, close };
    } catch (error) {
      if (tries === 50 || child.exitCode !== null) {
        await close();
        throw new Error(`the pooler does not answer: ${String(error)}`);
      }
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
  }
}
