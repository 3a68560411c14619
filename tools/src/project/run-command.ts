import { type ChildProcess, spawn } from "node:child_process";
import { mkdtempSync, readdirSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join, relative } from "node:path";
import { type Finding, type ReadLedger, readLedgerLines } from "gemach";

/** What a command of the user's did, seen from the database. */
export interface RunAudit {
  /** The exit code of the command. */
  readonly code: number;
  readonly ledgers: number;
  readonly statements: number;
  readonly findings: readonly RunFinding[];
}

/** A finding of a piece of work, told once for all works of one label in which it was met. */
export interface RunFinding extends Omit<Finding, "statements" | "at"> {
  /** The request, or what else was done. */
  readonly work: string;
  /** In how many pieces of work it was met. */
  readonly times: number;
  /** As seen from the current folder. */
  readonly file: string | undefined;
  readonly line: number | undefined;
}

function findingsIn(ledgers: readonly ReadLedger[]): readonly RunFinding[] {
  const found = new Map<string, RunFinding>();
  for (const { label, findings } of ledgers)
    for (const { statements: _, at, ...finding } of findings) {
      const file = at === undefined ? undefined : relative(process.cwd(), at.file).replaceAll("\\", "/");
      const key = JSON.stringify([label, finding.kind, file, at?.line, finding.remedy]);
      const known = found.get(key);
      if (known === undefined) found.set(key, { ...finding, work: label, times: 1, file, line: at?.line });
      else found.set(key, { ...known, times: known.times + 1 });
    }
  return [...found.values()].toSorted((a, b) => b.times - a.times);
}

/**
 * Runs a command, and records what every Node process of it sends to databases: each request that it answers is a
 * ledger of its own, and what it does outside of requests is one until it pauses.
 * @param output where its output goes: to that of this program, or to its errors.
 * @param whereInterrupted has something undone where this program is interrupted; gives the function that ends that.
 */
export async function runUnderLedger(
  command: readonly [string, ...string[]],
  output: "output" | "errors",
  whereInterrupted: (undo: () => void) => () => void,
): Promise<RunAudit> {
  const folder = mkdtempSync(join(tmpdir(), "gemach-record-"));
  const remove = () => rmSync(folder, { recursive: true, force: true });
  let child: ChildProcess | undefined;
  const done = whereInterrupted(() => {
    child?.kill("SIGINT");
    remove();
  });
  const [program, ...words] = command;
  const recorder = import.meta.resolve("gemach/recorder");
  const options = [process.env.NODE_OPTIONS, `--import=${recorder}`].filter((part) => part !== undefined).join(" ");
  try {
    const code = await new Promise<number>((resolve, reject) => {
      child = spawn(program, words, {
        stdio: ["inherit", output === "output" ? "inherit" : 2, "inherit"],
        env: { ...process.env, GEMACH_RECORD: folder, NODE_OPTIONS: options },
      });
      child.on("error", reject);
      child.on("exit", (status) => resolve(status ?? 1));
    });
    const ledgers = readdirSync(folder).map((file) => readLedgerLines(readFileSync(join(folder, file), "utf8")));
    const statements = ledgers.reduce((sum, { totals }) => sum + totals.statements, 0);
    return { code, ledgers: ledgers.length, statements, findings: findingsIn(ledgers) };
  } finally {
    done();
    remove();
  }
}
