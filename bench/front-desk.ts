import { execFile, spawn } from "node:child_process";
import { once } from "node:events";
import { fileURLToPath } from "node:url";
import { promisify } from "node:util";
import Table from "cli-table3";
import pg from "pg";
import { median } from "./figures.js";

const run = promisify(execFile);
/** From where the bench is built to. */
const root = fileURLToPath(new URL("../..", import.meta.url));
const folder = `${root}examples/front-desk`;
const server = process.env.GEMACH_POSTGRES_URL ?? "postgres://postgres@127.0.0.1:5432/postgres";
const port = "4191";
const address = `http://127.0.0.1:${port}/api`;

/** So many people stand at the desks at once, for so many seconds. */
const people = Number(process.env.GEMACH_PEOPLE ?? 50);
const seconds = Number(process.env.GEMACH_SECONDS ?? 120);
/** The most statements of each view: the good way of the front desk. */
const budgets = { things: 2, thing: 1, overdue: 1, figures: 5 } as const;

interface Tally {
  /** How long each request of a kind took, in milliseconds. */
  readonly times: Map<string, number[]>;
  /** How many requests of a kind were answered by a status. */
  readonly statuses: Map<string, number>;
  /** Answers that nobody expects. */
  readonly wrong: string[];
  statements: number;
}

/** Somebody at a desk, with a session of its own. */
class Person {
  readonly #tally: Tally;
  readonly #cookie: string;

  private constructor(tally: Tally, cookie: string) {
    this.#tally = tally;
    this.#cookie = cookie;
  }

  static async at(district: number, tally: Tally): Promise<Person> {
    const headers = { "content-type": "application/json" };
    const entered = await fetch(`${address}/session`, { method: "POST", headers, body: JSON.stringify({ district }) });
    return new Person(tally, (entered.headers.get("set-cookie") ?? "").split(";")[0] as string);
  }

  /** Sends a request; `fine`: the statuses that are meant. */
  async ask(
    kind: string,
    path: string,
    fine: readonly number[],
    send?: { method: string; json?: unknown },
    // biome-ignore lint/suspicious/noExplicitAny: whatever the desk answers
  ): Promise<any> {
    const started = performance.now();
    const response = await fetch(address + path, {
      method: send?.method ?? "GET",
      headers: { cookie: this.#cookie, ...(send?.json === undefined ? {} : { "content-type": "application/json" }) },
      ...(send?.json === undefined ? {} : { body: JSON.stringify(send.json) }),
    });
    const text = await response.text();
    const { times, statuses, wrong } = this.#tally;
    times.set(kind, [...(times.get(kind) ?? []), performance.now() - started]);
    const label = `${kind} ${response.status}`;
    statuses.set(label, (statuses.get(label) ?? 0) + 1);
    const body = text === "" ? undefined : JSON.parse(text);
    if (!fine.includes(response.status)) wrong.push(`${label}: ${text.slice(0, 200)}`);
    const most = budgets[kind as keyof typeof budgets];
    if (most !== undefined && body?.cost !== undefined) {
      this.#tally.statements += body.cost.statements;
      if (body.cost.statements > most) wrong.push(`${kind}: ${body.cost.statements} statements`);
    }
    return response.ok ? body : undefined;
  }

  /** A turn of the day: somebody looks for a thing, and it is lent, taken back, reserved or edited. */
  async turn(): Promise<void> {
    const any = <T>(of: readonly T[]): T | undefined => of[Math.floor(Math.random() * of.length)];
    const order = any(["name", "depot", "newest"]);
    const list = await this.ask("things", `/items?order=${order}${Math.random() < 0.4 ? "&text=dr" : ""}`, [200]);
    // Many want the same few things.
    const chosen = any((list?.shown.rows ?? []).slice(0, 8)) as { id: number } | undefined;
    if (chosen === undefined) return;
    const item = (await this.ask("thing", `/items/${chosen.id}`, [200]))?.shown;
    const members = await this.ask("members", "/members", [200]);
    const member = any((members ?? []).filter((one: { blocked: boolean }) => !one.blocked)) as
      | { id: number }
      | undefined;
    if (item === undefined || member === undefined) return;
    const open = item.loans.find(({ returned }: { returned: string | null }) => returned === null);
    const what = Math.random();
    if (what < 0.1) await this.ask("overdue", "/overdue", [200]);
    else if (what < 0.15) await this.ask("figures", "/dashboard", [200]);
    else if (what < 0.3) {
      const form = await this.ask("form", `/items/${chosen.id}/form`, [200]);
      const json = { turn: form?.turn, note: `seen ${Math.random()}` };
      await this.ask("edit", `/items/${chosen.id}`, [200, 409], { method: "PATCH", json });
    } else if (what < 0.4) {
      const begins = new Date(Date.now() + Math.random() * 3e10).toISOString().slice(0, 10);
      const json = { memberId: member.id, begins, ends: begins };
      await this.ask("reserve", `/items/${chosen.id}/reservations`, [201, 409], { method: "POST", json });
    } else if (open === undefined) {
      const due = new Date(Date.now() + 12e8).toISOString().slice(0, 10);
      await this.ask("lend", `/items/${chosen.id}/loans`, [201, 409], {
        method: "POST",
        json: { memberId: member.id, due },
      });
    } else await this.ask("return", `/loans/${open.id}/return`, [200, 409], { method: "POST" });
  }
}

/** The 99th of a hundred times. */
const late = (times: readonly number[]): number =>
  times.toSorted((a, b) => a - b)[Math.floor(times.length * 0.99)] ?? 0;

/** Fifty people at once at the front desk, on PostgreSQL with a pool of five. */
export async function frontDeskFigures(): Promise<string> {
  const name = `gemach_bench_desk_${process.pid}`;
  const admin = new pg.Client({ connectionString: server });
  await admin.connect();
  await admin.query(`create database ${name}`);
  const url = new URL(server);
  url.pathname = `/${name}`;
  const env = { ...process.env, FRONT_DESK_DATABASE: url.href, FRONT_DESK_PORT: port };
  for (const words of [
    ["run", "--silent", "build"],
    ["run", "--silent", "-w", "front-desk", "build"],
  ])
    await run("npm", words, { cwd: root });
  await run(process.execPath, [`${root}dist/cli.js`, "apply"], { cwd: folder, env });
  const child = spawn(process.execPath, ["dist/server/main.js"], { cwd: folder, env });
  await once(child.stdout, "data");
  const tally: Tally = { times: new Map(), statuses: new Map(), wrong: [], statements: 0 };
  try {
    const end = performance.now() + seconds * 1000;
    await Promise.all(
      Array.from({ length: people }, async (_, i) => {
        const person = await Person.at(1 + (i % 3), tally);
        while (performance.now() < end) await person.turn();
      }),
    );
  } finally {
    child.kill();
    await once(child, "exit");
  }
  const desk = new pg.Client({ connectionString: url.href });
  await desk.connect();
  const { rows } = await desk.query(
    "select count(*)::int as twice from (select item_id from loan where returned is null group by item_id having count(*) > 1) as found",
  );
  await desk.end();
  await admin.query(`drop database ${name}`);
  await admin.end();
  const table = new Table({
    head: ["request", "answered", "refused, as is meant", "median ms", "99th of 100 ms"],
    style: { head: [] },
  });
  for (const [kind, times] of tally.times) {
    const refused = tally.statuses.get(`${kind} 409`) ?? 0;
    table.push([kind, times.length, refused, median(times).toFixed(1), late(times).toFixed(1)]);
  }
  const all = [...tally.times.values()].flat();
  return [
    `${people} people for ${seconds} s: ${all.length} requests, ${(all.length / seconds).toFixed(0)} a second`,
    `errors: ${tally.wrong.length}; things that are lent twice: ${rows[0].twice}`,
    ...tally.wrong.slice(0, 10),
    table.toString(),
  ].join("\n");
}
