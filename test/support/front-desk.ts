import { type ChildProcess, execFile, spawn } from "node:child_process";
import { rmSync } from "node:fs";
import { createServer } from "node:net";
import { join } from "node:path";
import { promisify } from "node:util";
import type { Engine } from "./engines.js";
import type { Installed } from "./installed.js";

const run = promisify(execFile);

/** The day of all tests. */
export const today = "2026-06-01";

export const freePort = (): Promise<number> =>
  new Promise((resolve) => {
    const server = createServer().listen(0, "127.0.0.1", () => {
      const { port } = server.address() as { port: number };
      server.close(() => resolve(port));
    });
  });

/** A front desk that runs, and ends with `close`. */
export interface RunningDesk {
  readonly address: string;
  /** Sends a request as the page does, in a session of its own. */
  session(district: number): Promise<Ask>;
  close(): Promise<void>;
}

export interface Answered {
  readonly status: number;
  readonly type: string | null;
  // biome-ignore lint/suspicious/noExplicitAny: what a test looks at is what it expects there
  readonly body: any;
}

export type Ask = (path: string, options?: { method?: string; json?: unknown; headers?: Record<string, string>; way?: string }) => Promise<Answered>;

async function ask(
  address: string,
  cookie: string,
  path: string,
  { method, json, headers = {}, way = "good" }: Parameters<Ask>[1] & object,
): Promise<Answered & { cookie: string }> {
  const response = await fetch(`${address}/api${path}`, {
    method: method ?? (json === undefined ? "GET" : "POST"),
    headers: { cookie, "x-way": way, ...(json === undefined ? {} : { "content-type": "application/json" }), ...headers },
    ...(json === undefined ? {} : { body: typeof json === "string" ? json : JSON.stringify(json) }),
  });
  const text = await response.text();
  const type = response.headers.get("content-type");
  return {
    status: response.status,
    type,
    body: text === "" ? undefined : JSON.parse(text),
    cookie: (response.headers.get("set-cookie") ?? "").split(";")[0] as string,
  };
}

/** Brings the tables by `gemach apply`, and starts the desk's server over them. */
export async function startFrontDesk(installed: Installed, folder: string, { name, url }: Pick<Engine, "name" | "url">): Promise<RunningDesk> {
  const file = `${name}.sqlite`;
  for (const ending of ["", "-wal", "-shm"]) rmSync(join(folder, `${file}${ending}`), { force: true });
  const port = await freePort();
  const env = { ...process.env, FRONT_DESK_DATABASE: url ?? `sqlite:${file}`, FRONT_DESK_TODAY: today, FRONT_DESK_PORT: String(port) };
  await run(process.execPath, [installed.file("dist/cli.js"), "apply"], { cwd: folder, env });
  const child: ChildProcess = spawn(process.execPath, ["--enable-source-maps", "dist/server/main.js"], { cwd: folder, env });
  let told = "";
  await new Promise<void>((resolve, reject) => {
    child.stdout?.on("data", (part) => {
      told += part;
      if (told.includes("The front desk is at")) resolve();
    });
    child.stderr?.on("data", (part) => {
      told += part;
    });
    child.once("exit", () => reject(new Error(told)));
  });
  const address = `http://127.0.0.1:${port}`;
  return {
    address,
    session: async (district) => {
      const { cookie } = await ask(address, "", "/session", { json: { district } });
      return (path, options = {}) => ask(address, cookie, path, options);
    },
    close: () =>
      new Promise((resolve) => {
        child.removeAllListeners("exit");
        child.once("exit", () => resolve());
        child.kill();
      }),
  };
}
