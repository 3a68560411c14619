import type { CallSite, Watch } from "../run/index.js";

/** Numbers transactions, so that their statements can be told from those of others. */
let transactions = 0;

/** Watches the statements of a transaction, which get its number, and tells of its end. */
export function numbered(watch: Watch, at: CallSite | undefined): { readonly watch: Watch; readonly ends: () => void } {
  const transaction = ++transactions;
  const started = watch.clock();
  return {
    watch: { ...watch, send: (send, request, verb) => watch.send(send, request, { ...verb, transaction }) },
    ends: () => {
      const milliseconds = watch.clock() - started;
      watch.tell((observer) => observer.closes?.({ transaction, milliseconds, at }));
    },
  };
}
