import type { Run } from "../run/index.js";
/**
 * Does work between begin and commit on one connection of a server, and gives the connection back:
 * as broken where it could not even roll back.
 */
export async function inTransaction<R>(
  run: Run,
  work: (run: Run) => R | Promise<R>,
  release: (broken: boolean) => void,
  begin: readonly string[] = ["begin"],
): Promise<R> {
  const control = async (text: string) => await run({ text, parameters: [], once: true });
  let broken = true;
  try {
    for (const text of begin) await control(text);
    const result = await work(run);
    await control("commit");
    broken = false;
    return result;
  } catch (error) {
    await Promise.resolve(control("rollback")).then(
      () => {
        broken = false;
      },
      () => {},
    );
    throw error;
  } finally {
    release(broken);
  }
}
