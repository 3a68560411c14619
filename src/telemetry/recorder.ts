import { AsyncLocalStorage } from "node:async_hooks";
import { subscribe } from "node:diagnostics_channel";
import { mkdirSync, writeFileSync } from "node:fs";
import type { IncomingMessage } from "node:http";
import { join } from "node:path";
import { threadId } from "node:worker_threads";
import { announceKey } from "../database/index.js";
import { ledgerLines, openLedger } from "../ledger/index.js";
import type { Connection, Observer } from "../run/index.js";

/** Outside of requests, work that pauses for so many milliseconds has come to its end. */
const pause = 100;

/** A piece of work whose statements belong together. */
interface Work {
  readonly label: string;
}

const requests = new AsyncLocalStorage<Work>();
const outside = (): Work => ({ label: "outside of requests" });

/** Tells which work goes on right now. */
function follow(): () => Work {
  let rest = outside();
  let last = 0;
  // Each request that a server of this process answers is a piece of work of its own.
  subscribe("http.server.request.start", (message) => {
    const { method, url } = (message as { readonly request: IncomingMessage }).request;
    requests.enterWith({ label: `${method} ${url?.split("?")[0]}` });
  });
  return () => {
    const work = requests.getStore();
    if (work !== undefined) return work;
    const now = performance.now();
    if (now - last > pause) rest = outside();
    last = now;
    return rest;
  };
}

/**
 * Records every database that the program opens from now on, and writes a ledger of each piece of work into a folder at
 * its end.
 */
function record(folder: string): void {
  const current = follow();
  const ledgers: ReturnType<typeof openLedger>[] = [];
  const announce = (connection: Connection): void => {
    const known = new Map<Work, ReturnType<typeof openLedger>>();
    const observer = (): Observer => {
      const work = current();
      let open = known.get(work);
      if (open === undefined) {
        open = openLedger(work.label, connection);
        known.set(work, open);
        ledgers.push(open);
      }
      return open.observer;
    };
    connection.sender.watch.add({
      ends: (statement, wires) => observer().ends?.(statement, wires),
      made: (statement, objects, owners) => observer().made?.(statement, objects, owners),
      called: (call) => observer().called?.(call),
      waited: (milliseconds, call) => observer().waited?.(milliseconds, call),
      closes: (transaction) => observer().closes?.(transaction),
    });
  };
  Object.defineProperty(globalThis, announceKey, { configurable: true, value: announce });
  process.on("exit", () => {
    mkdirSync(folder, { recursive: true });
    for (const [i, { ledger }] of ledgers.entries()) {
      const written = ledger();
      if (written.statements.length > 0)
        writeFileSync(join(folder, `${process.pid}-${threadId}-${i}.jsonl`), ledgerLines(written));
    }
  });
}

// Loaded before a program (`node --import gemach/recorder`), it records where this says so, and does nothing elsewhere.
const { GEMACH_RECORD: folder } = process.env;
if (folder !== undefined && folder !== "") record(folder);
