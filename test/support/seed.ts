import fc from "fast-check";

/**
 * The seed of random cases, which the reports of failures print: the one that is asked for; on a machine that checks a change always
 * the same one, so that its verdict is about the change; elsewhere another one each time.
 */
export const seed = Number(process.env.GEMACH_SEED ?? (process.env.CI ? 11 : Date.now() % 1_000_000));

fc.configureGlobal({ seed });
