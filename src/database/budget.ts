import { GemachError } from "../errors/index.js";
import type { Request, VerbOrigin, Watch } from "../run/index.js";

/** What a transaction throws that would send more statements than its budget allows. */
export class BudgetError extends GemachError<"BUDGET_EXCEEDED"> {
  static override readonly only = "BUDGET_EXCEEDED";

  constructor(names: GemachError<"BUDGET_EXCEEDED">["names"]) {
    super("BUDGET_EXCEEDED", names);
    this.name = "BudgetError";
  }
}

/** Statements of one text by one line of code. */
interface Counted {
  count: number;
  readonly text: string;
  readonly verb: string;
  readonly at: string | undefined;
}

/** Watches statements, and refuses those beyond a number. */
export function budgeted(watch: Watch, most: number): Watch {
  const groups = new Map<string, Counted>();
  let sent = 0;
  const take = ({ text }: Request, { verb, at }: VerbOrigin): void => {
    const place = at === undefined ? undefined : `${at.file}:${at.line}`;
    const name = `${verb} ${place} ${text}`;
    const group = groups.get(name) ?? { count: 0, text, verb, at: place };
    groups.set(name, group);
    group.count++;
    if (++sent <= most) return;
    const all = [...groups.values()].toSorted((a, b) => b.count - a.count);
    throw new BudgetError({ most, groups: all });
  };
  return {
    ...watch,
    // Lines of code are asked for, since an error names them.
    isWatched: () => true,
    send: (send, request, verb) => {
      take(request, verb);
      return watch.send(send, request, verb);
    },
  };
}
