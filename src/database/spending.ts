import { type Finding, findingsOf, openRecording, type Recorded, usualThresholds } from "../findings/index.js";
import { rowCount } from "../query/index.js";
import type { VerbOrigin, Watch, WireRows } from "../run/index.js";
import type { Dialect } from "../sql/index.js";
import { type Budget, BudgetError } from "./budget.js";

/** Statements of one text by one line of code. */
interface Counted {
  count: number;
  readonly text: string;
  readonly verb: string;
  readonly at: string | undefined;
}

/** Counts what is spent. */
export interface Spending {
  /** @throws BudgetError where another statement is one too many. */
  begin(text: string, verb: VerbOrigin): void;
  /** @throws BudgetError where its rows, or its time, are too much. */
  end(rows: number, milliseconds: number): void;
}

/**
 * Counts what is spent of a budget.
 * @param waste the costliest finding of what was sent, where there is one.
 * @throws GemachError `LIMIT_UNFIT`
 */
export function spendingOf(budget: Budget, waste: () => Finding | undefined): Spending {
  const limits = typeof budget === "number" ? { statements: budget } : budget;
  for (const name of ["statements", "rows"] as const) if (limits[name] !== undefined) rowCount(limits[name], "budget");
  const groups = new Map<string, Counted>();
  const spent = { statements: 0, rows: 0, milliseconds: 0 };
  const check = (): void => {
    for (const what of ["statements", "rows", "milliseconds"] as const) {
      const most = limits[what];
      if (most === undefined || spent[what] <= most) continue;
      const all = [...groups.values()].toSorted((a, b) => b.count - a.count);
      const found = waste();
      const finding = found === undefined ? undefined : `Finding: ${found.kind}. ${found.evidence}\n${found.remedy}`;
      throw new BudgetError({ what, most, groups: all, finding });
    }
  };
  return {
    begin: (text, { verb, at }) => {
      const place = at === undefined ? undefined : `${at.file}:${at.line}`;
      const name = `${verb} ${place} ${text}`;
      const group = groups.get(name) ?? { count: 0, text, verb, at: place };
      groups.set(name, group);
      group.count++;
      spent.statements++;
      check();
    },
    end: (rows, milliseconds) => {
      spent.rows += rows;
      spent.milliseconds += milliseconds;
      check();
    },
  };
}

/** The costliest finding of what was recorded. */
export const wasteIn =
  ({ statements, transactions }: Recorded, dialect: Dialect) =>
  (): Finding | undefined =>
    findingsOf({ statements, transactions, reads: [], dialect, thresholds: usualThresholds }, [], []).findings[0];

/** Watches the statements of a transaction, and refuses those beyond a budget. */
export function budgeted(watch: Watch, budget: Budget, dialect: Dialect): Watch {
  const { record, observer } = openRecording();
  const spending = spendingOf(budget, wasteIn(record, dialect));
  return {
    ...watch,
    // Lines of code are asked for, since an error names them.
    isWatched: () => true,
    send: (send, request, verb) => {
      spending.begin(request.text, verb);
      const started = watch.clock();
      const answer = watch.send(send, request, verb);
      const counted = <R extends WireRows>(rows: R): R => {
        const milliseconds = watch.clock() - started;
        const { text, parameters, origin } = request;
        const sent = { text, parameters, started, milliseconds, waiting: 0, rows: rows.length, failed: false };
        observer.ends?.({ ...sent, origin: { ...origin, ...verb } }, rows);
        spending.end(rows.length, milliseconds);
        return rows;
      };
      return answer instanceof Promise ? answer.then(counted) : counted(answer);
    },
  };
}
