import { type TableReference, tableKey } from "../../model/index.js";
import { checkText, type Dialect, foreignKeyText, indexText, qualifiedTable } from "../../sql/index.js";
import type { Change } from "../compare/change.js";
import type { Precondition } from "../migrations/migration.js";
import { lossesIn } from "./losses.js";
import { type Of, only, type Transition } from "./plan.js";
import { preconditionsOf } from "./preconditions.js";
import { renameStatements, serverStatements } from "./servers.js";
import { Ties } from "./ties.js";

/**
 * One of the steps in which a migration keeps nobody waiting: before the new code is out, beside it, after it, and what
 * is looked at in all rows once old code writes no more.
 */
export interface OnlineStep {
  /** The ending of its name. */
  readonly ending: "" | "-online" | "-after" | "-settled";
  readonly changes: readonly Change[];
  /** Those of them that are done as anywhere, so that they may keep somebody waiting. */
  readonly plain: readonly Change[];
  readonly statements: readonly string[];
  readonly losses: readonly string[];
  readonly preconditions: readonly Precondition[];
  /** Whether its statements cannot be one transaction. */
  readonly isApart: boolean;
  readonly undo: { readonly statements: readonly string[]; readonly preconditions: readonly Precondition[] };
}

/** What old code does not notice: what comes, and what no longer must be. */
function isEarly(change: Change): boolean {
  if (change.kind === "change column")
    return change.facts.every((fact) => fact === "default" || (fact === "null" && change.to.isNullable));
  return /^(?:create|add)/.test(change.kind) && change.kind !== "add primary key";
}

/** The change that takes another one back. */
function inverse(change: Change): Change {
  switch (change.kind) {
    case "rename table":
      return { ...change, table: { schema: change.table.schema, table: change.to }, to: change.table.table };
    case "rename column":
      return { ...change, column: change.to, to: change.column };
    case "change column":
      return { ...change, column: change.to, to: change.column };
    default: {
      const kind = change.kind.replace(/^(create|add|drop)/, (word) =>
        word === "drop" ? (/table|index/.test(change.kind) ? "create" : "add") : "drop",
      );
      return { ...change, kind } as Change;
    }
  }
}

const alterText = (table: TableReference, action: string, dialect: Dialect): string =>
  `alter table ${qualifiedTable(table, dialect)} ${action}`;

/** A name for the check by which a column is shown to have no null, before it is declared so. */
const helperName = (table: TableReference, column: string): string => `${table.table}_${column}_present`.slice(0, 63);

/**
 * A way in steps that keep nobody waiting for long, on PostgreSQL: constraints are added unvalidated and validated
 * later, indexes made concurrently, and what old code would miss goes once the new code is out. On MariaDB, whose
 * definitions copy a table or do not whatever one writes, the steps before and after the new code.
 */
export function onlineSteps(transition: Transition, dialect: Dialect): readonly OnlineStep[] {
  const { rules } = dialect.definition;
  const { quote } = dialect.text;
  const isPostgres = dialect.name === "postgres";
  const isNew = new Set(only(transition.changes, "create table").map(({ table }) => tableKey(table)));
  const isOnNew = ({ table }: Change) => isNew.has(tableKey(table));
  const ties = new Ties(transition.changes, dialect.name);
  // Old code gives a new column no value: it may be missing until that is gone.
  const isDemanding = ({ column }: Of<"add column">): boolean =>
    !column.isNullable && column.default === undefined && column.computed === undefined && !column.isIdentity;
  const split = transition.changes.flatMap((change): readonly (readonly [boolean, Change])[] => {
    if (!isEarly(change) || ties.touches(change)) return [[false, change]];
    if (change.kind !== "add column" || !isDemanding(change)) return [[true, change]];
    const loose = { ...change.column, isNullable: true };
    return [
      [true, { ...change, column: loose }],
      [false, { kind: "change column", table: change.table, column: loose, to: change.column, facts: ["null"] }],
    ];
  });
  const early = split.flatMap(([isFirst, change]) => (isFirst ? [change] : []));
  const deferred = split.flatMap(([isFirst, change]) => (isFirst ? [] : [change]));
  const indexes = isPostgres ? only(early, "create index").filter((change) => !isOnNew(change)) : [];
  const constraints = isPostgres
    ? only(early, "add foreign key", "add check").filter((change) => !isOnNew(change))
    : [];
  const nulls = isPostgres
    ? only(deferred, "change column").filter(
        ({ facts, to }) => facts.length === 1 && facts[0] === "null" && !to.isNullable,
      )
    : [];
  const apart = new Set<Change>([...indexes, ...constraints]);
  const helper = ({ table, to }: (typeof nulls)[number]) => quote(helperName(table, to.name));
  const unvalidated = constraints.map((change) =>
    alterText(
      change.table,
      `add ${change.kind === "add check" ? checkText(change.check, dialect) : foreignKeyText(change.key, rules, dialect)} not valid`,
      dialect,
    ),
  );
  const nameOf = (change: (typeof constraints)[number]) =>
    quote((change.kind === "add check" ? change.check.name : change.key.name) ?? "");
  const validated = constraints.map((change) =>
    alterText(change.table, `validate constraint ${nameOf(change)}`, dialect),
  );
  const made = indexes.flatMap(({ table, index }) => [
    // One that was stopped half-way is there, and of no use.
    `drop index concurrently if exists ${qualifiedTable({ schema: table.schema, table: index.name }, dialect)}`,
    indexText(table, index, rules, dialect, "concurrently "),
  ]);
  const plain = (changes: readonly Change[]): readonly string[] =>
    changes.length === 0 ? [] : serverStatements({ ...transition, changes }, dialect);
  const back = (changes: readonly Change[]) => {
    const inverted = changes.map(inverse).reverse();
    // Names come back last, columns before their tables: all else speaks of the new ones.
    const columns = only(inverted, "rename column");
    const tables = only(inverted, "rename table");
    const rest = inverted.filter(({ kind }) => !kind.startsWith("rename"));
    const reversed = { found: transition.wanted, wanted: transition.found, changes: rest };
    return {
      statements: [
        ...(rest.length === 0 ? [] : serverStatements(reversed, dialect)),
        ...renameStatements(columns, dialect),
        ...renameStatements(tables, dialect),
      ],
      preconditions: preconditionsOf(reversed, dialect),
    };
  };
  const of = (change: (typeof nulls)[number], action: string) => alterText(change.table, action, dialect);
  // A check that is validated beside other work lets the column be declared without another look at all rows.
  const present = nulls.map((change) =>
    of(change, `add constraint ${helper(change)} check (${quote(change.to.name)} is not null) not valid`),
  );
  const gone = nulls.map((change) => of(change, `drop constraint if exists ${helper(change)}`));
  const settled = nulls.flatMap((change, i) => [
    of(change, `validate constraint ${helper(change)}`),
    of(change, `alter column ${quote(change.to.name)} set not null`),
    gone[i] as string,
  ]);
  const others = deferred.filter((change) => !(nulls as readonly Change[]).includes(change));
  const after = back(others);
  const plainEarly = early.filter((change) => !apart.has(change));
  const first = back([...plainEarly, ...constraints]);
  const steps: readonly OnlineStep[] = [
    {
      ...{ ending: "", changes: [...plainEarly, ...constraints], plain: plainEarly, losses: [], isApart: false },
      statements: [...plain(plainEarly), ...unvalidated],
      preconditions: preconditionsOf({ ...transition, changes: plainEarly }, dialect),
      undo: first,
    },
    {
      ...{ ending: "-online", changes: indexes, plain: [], losses: [], isApart: true },
      statements: [...made, ...validated],
      preconditions: preconditionsOf({ ...transition, changes: [...indexes, ...constraints] }, dialect),
      undo: {
        statements: indexes.map(
          ({ table, index }) =>
            `drop index concurrently if exists ${qualifiedTable({ schema: table.schema, table: index.name }, dialect)}`,
        ),
        preconditions: [],
      },
    },
    {
      ...{ ending: "-after", changes: others, plain: others, losses: lossesIn(others, dialect.name), isApart: false },
      statements: [...plain(others), ...present],
      preconditions: preconditionsOf({ ...transition, changes: others }, dialect),
      undo: { ...after, statements: [...gone, ...after.statements] },
    },
    {
      ...{ ending: "-settled", changes: nulls, plain: [], losses: [], isApart: true },
      statements: settled,
      preconditions: preconditionsOf({ ...transition, changes: nulls }, dialect),
      undo: {
        statements: nulls.map((change) => of(change, `alter column ${quote(change.to.name)} drop not null`)),
        preconditions: [],
      },
    },
  ];
  return steps.filter(({ statements }) => statements.length > 0);
}
