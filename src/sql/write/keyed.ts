import type { Scalar, ValueType } from "../../columns/index.js";
import type { ResolvedColumn } from "../../ir/index.js";
import type { KeyedPlan, KeyedRow } from "../../plan/index.js";
import type { Dialect } from "../dialects/dialect.js";
import { inForm, storedIn } from "../dialects/stored.js";
import type { Wire } from "../dialects/wire.js";
import { qualifiedTable } from "../print/printer.js";
import { partName } from "../tree/common-names.js";

/** A statement that writes rows found by their keys, and how many of them it is to find. */
export interface KeyedStatement {
  readonly text: string;
  readonly parameters: readonly Wire[];
  readonly rows: readonly KeyedRow[];
}

/** How many rows one statement takes where each value is a placeholder: few sizes, so that there are few texts. */
const sizes = [500, 100, 20, 10, 5, 2];

/** How many rows one statement takes where each column is one array. */
const mostInArrays = 10_000;

/** What sets a version of each row one higher, behind what else is set; `table`: with a point behind it. */
const raisedText = ({ raised, columns }: KeyedPlan, { text: { quote } }: Dialect, table = ""): string =>
  raised === undefined
    ? ""
    : `${columns.length === 0 ? "" : ", "}${quote(raised.name)} = ${table}${quote(raised.name)} + 1`;

const encodedBy =
  ({ wire }: Dialect) =>
  (value: Scalar, { type }: ResolvedColumn): Wire =>
    wire.encode({ kind: "value", value, type });

/** What of the plan's rows must be true besides, with "and" before it. */
const visibleText = ({ visible }: KeyedPlan, { text: { quote, literal } }: Dialect, table = ""): string =>
  visible
    .map(({ column: { name, type }, value }) =>
      value === null ? ` and ${table}${quote(name)} is null` : ` and ${table}${quote(name)} = ${literal(value, type)}`,
    )
    .join("");

/** One statement a row. */
function singles(plan: KeyedPlan, dialect: Dialect): readonly KeyedStatement[] {
  const { verb, entity, columns, by, rows } = plan;
  const { quote, placeholder } = dialect.text;
  let count = 0;
  const given = ({ name, type }: ResolvedColumn) =>
    `${quote(name)} = ${inForm(storedIn(type, dialect.name)?.write, placeholder(++count))}`;
  const table = qualifiedTable(entity, dialect);
  const set = columns.map(given).join(", ") + raisedText(plan, dialect);
  const found = by.map(given).join(" and ") + visibleText(plan, dialect);
  const text = verb === "delete" ? `delete from ${table} where ${found}` : `update ${table} set ${set} where ${found}`;
  const encode = encodedBy(dialect);
  return rows.map((row) => ({
    text,
    parameters: [
      ...row.values.map((value, i) => encode(value, columns[i] as ResolvedColumn)),
      ...row.found.map((value, i) => encode(value, by[i] as ResolvedColumn)),
    ],
    rows: [row],
  }));
}

const valuesOf = ({ found, values }: KeyedRow): readonly Scalar[] => [...found, ...values];

/** What is the same of a statement however its rows come: what is set, and which rows are found. */
function parts(plan: KeyedPlan, dialect: Dialect) {
  const { entity, columns, by } = plan;
  const { quote } = dialect.text;
  const table = qualifiedTable(entity, dialect);
  const rows = partName(entity.table, "given");
  const on =
    by.map(({ name }, i) => `${table}.${quote(name)} = ${rows}.part_${i + 1}`).join(" and ") +
    visibleText(plan, dialect, `${table}.`);
  const values = columns.map(({ name }, i) => `${quote(name)} = ${rows}.part_${by.length + i + 1}`).join(", ");
  const set = values + raisedText(plan, dialect, `${table}.`);
  return { table, rows, on, set };
}

/** Rows that are all given the same, or deleted: their keys as one list. */
function alike(plan: KeyedPlan, dialect: Dialect): readonly KeyedStatement[] {
  const { verb, entity, columns, by, rows } = plan;
  const { quote, placeholder, inList } = dialect.text;
  const [key] = by as readonly [ResolvedColumn];
  const table = qualifiedTable(entity, dialect);
  const set = columns.map(
    ({ name, type }, i) => `${quote(name)} = ${inForm(storedIn(type, dialect.name)?.write, placeholder(i + 1))}`,
  );
  const listed = inList(quote(key.name), placeholder(columns.length + 1), key.type, false);
  const found = listed + visibleText(plan, dialect);
  const text =
    verb === "delete"
      ? `delete from ${table} where ${found}`
      : `update ${table} set ${set.join(", ")}${raisedText(plan, dialect)} where ${found}`;
  const encode = encodedBy(dialect);
  const values = (rows[0] as KeyedRow).values.map((value, i) => encode(value, columns[i] as ResolvedColumn));
  return chunks(rows, [mostInArrays]).map((chunk) => ({
    text,
    parameters: [
      ...values,
      dialect.wire.encode({ kind: "list", values: chunk.map(({ found: [first] }) => first as Scalar), type: key.type }),
    ],
    rows: chunk,
  }));
}

/** Each column as an array. */
function inArrays(
  plan: KeyedPlan,
  rowsOfArrays: (types: readonly ValueType[]) => string,
  dialect: Dialect,
): readonly KeyedStatement[] {
  const { verb, columns, by, rows } = plan;
  const all = [...by, ...columns];
  const { table, rows: alias, on, set } = parts(plan, dialect);
  const given = `(${rowsOfArrays(all.map(({ type }) => type))}) as ${alias}`;
  const text =
    verb === "delete"
      ? `delete from ${table} using ${given} where ${on}`
      : `update ${table} set ${set} from ${given} where ${on}`;
  return chunks(rows, [mostInArrays]).map((chunk) => ({
    text,
    parameters: all.map(({ type }, i) =>
      dialect.wire.encode({ kind: "list", values: chunk.map((row) => valuesOf(row)[i] as Scalar), type }),
    ),
    rows: chunk,
  }));
}

/** Each value as a placeholder, the rows a table beside the one that is written. */
function joined(plan: KeyedPlan, dialect: Dialect): readonly KeyedStatement[] {
  const { verb, columns, by, rows } = plan;
  const all = [...by, ...columns];
  const { table, rows: alias, on, set } = parts(plan, dialect);
  const encode = encodedBy(dialect);
  return chunks(rows, sizes).flatMap((chunk): readonly KeyedStatement[] => {
    if (chunk.length < (sizes.at(-1) as number)) return singles({ ...plan, rows: chunk }, dialect);
    const row = (isFirst: boolean) => `select ${all.map((_, i) => (isFirst ? `? as part_${i + 1}` : "?")).join(", ")}`;
    const given = `(${chunk.map((_, i) => row(i === 0)).join(" union all ")}) as ${alias}`;
    const text =
      verb === "delete"
        ? `delete ${table} from ${table} join ${given} on ${on}`
        : `update ${table} join ${given} on ${on} set ${set}`;
    const parameters = chunk.flatMap((one) => valuesOf(one).map((value, i) => encode(value, all[i] as ResolvedColumn)));
    return [{ text, parameters, rows: chunk }];
  });
}

/** Rows in chunks of the sizes, the largest first, and what is left. */
function chunks(rows: readonly KeyedRow[], of: readonly number[]): readonly (readonly KeyedRow[])[] {
  const made: (readonly KeyedRow[])[] = [];
  let at = 0;
  while (at < rows.length) {
    const left = rows.length - at;
    const size = of.find((one) => one <= left) ?? left;
    made.push(rows.slice(at, at + size));
    at += size;
  }
  return made;
}

/** The statements that write rows which are found by their keys. */
export function keyedStatements(plan: KeyedPlan, dialect: Dialect): readonly KeyedStatement[] {
  const { rowsOfArrays, isJoined } = dialect.writes;
  const isPlain = plan.columns.every(({ type }) => storedIn(type, dialect.name) === undefined);
  if (plan.rows.length === 0) return [];
  const [first] = plan.rows;
  const isAlike = plan.rows.every(({ values }) => values.every((value, i) => value === first?.values[i]));
  if (plan.isListable && isAlike && plan.by.length === 1) return alike(plan, dialect);
  if (plan.isListable && rowsOfArrays !== undefined) return inArrays(plan, rowsOfArrays, dialect);
  if (plan.isListable && isJoined && isPlain) return joined(plan, dialect);
  return singles(plan, dialect);
}
