import type { AnyDatabase } from "../../database/index.js";
import { tableKey } from "../../model/index.js";
import { connectionOf, sendOwn } from "../../run/index.js";
import { type ColumnLayout, type DialectName, qualifiedTable, type TableLayout } from "../../sql/index.js";
import { inMap } from "../catalogue/rows.js";
import { typeForm } from "../compare/forms.js";

/** The evidence of a column's rows, beyond its type. */
export interface ColumnEvidence {
  /** The results of SQLite's `typeof` for its values, but null: a type there is only a preference. */
  readonly types: ReadonlySet<string>;
  /** The least and the greatest of its whole numbers. */
  readonly least: bigint | undefined;
  readonly greatest: bigint | undefined;
  /** Whether all of its texts are of such a form. */
  readonly areDays: boolean;
  readonly areInstants: boolean;
  /** Whether it holds what its type allows and the kind of this type does not: a day without a month, infinity. */
  readonly isBeyond: boolean;
}

/** The evidence of a column whose rows nobody looked at. */
export const noEvidence: ColumnEvidence = {
  ...{ types: new Set<string>(), least: undefined, greatest: undefined },
  ...{ areDays: true, areInstants: true, isBeyond: false },
};

/** A question about a column, and the meaning of its answers. */
interface Question {
  readonly items: readonly string[];
  readonly read: (answers: readonly unknown[]) => ColumnEvidence;
}

function ofSqlite(column: string): Question {
  const of = (type: string) => `max(typeof(${column}) = '${type}')`;
  const whole = `iif(typeof(${column}) = 'integer', ${column}, null)`;
  const day = "[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]";
  return {
    items: [
      ...[of("integer"), of("real"), of("text"), of("blob")],
      ...[`cast(min(${whole}) as text)`, `cast(max(${whole}) as text)`],
      `min(typeof(${column}) <> 'text' or ${column} glob '${day}')`,
      `min(typeof(${column}) <> 'text' or (${column} glob '${day}[ T][0-9][0-9]:[0-9][0-9]:[0-9][0-9]*' and ${column} not glob '*[Zz+]*'))`,
    ],
    read: ([isWhole, isReal, isText, isBlob, least, greatest, days, instants]) => {
      const types = [
        [isWhole, "integer"],
        [isReal, "real"],
        [isText, "text"],
        [isBlob, "blob"],
      ] as const;
      return {
        types: new Set(types.filter(([isThere]) => Number(isThere) === 1).map(([, type]) => type)),
        least: least == null ? undefined : BigInt(String(least)),
        greatest: greatest == null ? undefined : BigInt(String(greatest)),
        ...{ areDays: Number(days ?? 1) === 1, areInstants: Number(instants ?? 1) === 1, isBeyond: false },
      };
    },
  };
}

/** The condition of values of a type that the kind of it does not hold, by the engine and the form of the type. */
const beyond: Readonly<Record<"postgres" | "mariadb", readonly (readonly [RegExp, (column: string) => string])[]>> = {
  postgres: [
    [
      /^(?:date|timestamp)/,
      (column) => `not isfinite(${column}) or ${column} < '0001-01-01' or ${column} >= '10000-01-01'`,
    ],
    [/^(?:double precision|real)$/, (column) => `${column} in ('NaN', 'Infinity', '-Infinity')`],
    [/^numeric\(/, (column) => `${column} = 'NaN'`],
    [/^time(?:\(\d\))? without/, (column) => `${column} = '24:00'`],
    [/^jsonb?$/, (column) => `${column}::text ~ '[0-9]{16}'`],
  ],
  mariadb: [
    [/^tinyint\(1\)$/, (column) => `${column} not in (0, 1)`],
    [/^(?:date$|datetime|timestamp)/, (column) => `month(${column}) = 0 or dayofmonth(${column}) = 0`],
    [/^time/, (column) => `${column} < 0 or ${column} >= '24:00:00'`],
    [/^longtext$/, (column) => `${column} regexp '[0-9]{16}'`],
  ],
};

function ofServer({ type }: ColumnLayout, column: string, dialect: "postgres" | "mariadb"): Question | undefined {
  const form = typeForm(type, dialect);
  const condition = beyond[dialect].find(([pattern]) => pattern.test(form))?.[1](column);
  if (condition === undefined) return undefined;
  return {
    items: [`max(case when ${condition} then 1 else 0 end)`],
    read: ([isBeyond]) => ({ ...noEvidence, isBeyond: Number(isBeyond) === 1 }),
  };
}

const questionOf = (column: ColumnLayout, name: string, dialect: DialectName): Question | undefined =>
  dialect === "sqlite" ? ofSqlite(name) : ofServer(column, name, dialect);

/**
 * What the rows of tables hold beyond what the types of their columns say, where that decides how a model maps them:
 * one statement a table, and none for one whose types leave no doubt.
 */
export async function evidenceIn(
  db: AnyDatabase,
  tables: readonly TableLayout[],
  progress?: (what: string) => void,
): Promise<ReadonlyMap<string, ReadonlyMap<string, ColumnEvidence>>> {
  const { sender, dialect } = connectionOf(db, "adopt");
  const found = new Map<string, Map<string, ColumnEvidence>>();
  for (const table of tables) {
    const questions = table.columns.flatMap((column) => {
      const question = questionOf(column, dialect.text.quote(column.name), dialect.name);
      return question === undefined ? [] : [{ name: column.name, question }];
    });
    if (questions.length === 0 || (table.kind === "view" && dialect.name !== "sqlite")) continue;
    progress?.(`looking at the rows of ${table.table}`);
    const items = questions.flatMap(({ question }) => question.items);
    const [row = []] = await sendOwn(
      sender,
      `select ${items.join(", ")} from ${qualifiedTable(table, dialect)}`,
      "what the rows hold",
    );
    let at = 0;
    for (const { name, question } of questions) {
      const answers = row.slice(at, at + question.items.length);
      at += question.items.length;
      inMap(found, tableKey(table), () => new Map<string, ColumnEvidence>()).set(name, question.read(answers));
    }
  }
  return found;
}
