import { type Remote, wrap } from "comlink";
import type { Engine } from "../workers/engine.js";
import type { Compiler } from "../workers/typescript.js";

/** The databases, in a thread of their own. */
export const engine: Remote<Engine> = wrap(
  new Worker(new URL("../workers/engine.ts", import.meta.url), { type: "module", name: "engine" }),
);

let compilers: Remote<Compiler> | undefined;

/** The compiler, in a thread of its own. It is large: it is loaded once something is written or run. */
export const compiler = (): Remote<Compiler> =>
  (compilers ??= wrap(
    new Worker(new URL("../workers/typescript.ts", import.meta.url), { type: "module", name: "compiler" }),
  ));

let last: Promise<unknown> = Promise.resolve();

/** Asks the compiler of a text; one question after the other, since it has one text at a time. */
export function ofText<T>(text: string, ask: (compiler: Remote<Compiler>) => Promise<T>): Promise<T> {
  const asked = last.then(async () => {
    await compiler().write(text);
    return await ask(compiler());
  });
  last = asked.catch(() => {});
  return asked;
}
