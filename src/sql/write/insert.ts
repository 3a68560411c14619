import type { Scalar, ValueType } from "../../columns/index.js";
import type { ConflictPlan, InsertFromPlan, InsertPlan, InsertPortion } from "../../plan/index.js";
import type { Dialect } from "../dialects/dialect.js";
import { encodeParameter } from "../dialects/encode.js";
import { inForm, storedIn } from "../dialects/stored.js";
import type { Wire } from "../dialects/wire.js";
import { type Printed, print } from "../print/print.js";
import { printInsertEnd } from "../print/print-write.js";
import { qualifiedTable } from "../print/printer.js";
import { startScope, value } from "../translate/expression.js";
import { selectOf } from "../translate/queries.js";
import { commonOf, placeIn, tableOf } from "../translate/scope.js";
import { draftFrom } from "../tree/select.js";
import type { InsertEnd } from "../tree/tree.js";
import { returnedItems } from "./returned.js";

/** A statement with what goes over the wire for its placeholders. */
export interface EncodedStatement {
  readonly text: string;
  readonly parameters: readonly Wire[];
  /** Whether it only goes with the write: its answer is none of the write's. */
  readonly isBeside?: boolean;
}

function conflictIn({ by, set, old, proposed }: ConflictPlan): InsertEnd["conflict"] {
  const { entity } = old;
  const scope = startScope();
  const { table } = entity;
  scope.places.set(old, placeIn(draftFrom(tableOf(entity, table)), entity, table));
  scope.places.set(proposed, { ...placeIn(draftFrom(tableOf(entity, table)), entity, table), isProposed: true });
  return {
    by: by.map(({ name }) => name),
    set: set.map((one) => ({ column: one.column.name, value: value(scope, one.value) })),
  };
}

/** What stands after the rows, encoded, of which `before` placeholders stand before it. */
type EndAfter = (before: number) => EncodedStatement;

/** What the inserts of a portion are made of. */
interface Inserting {
  readonly portion: InsertPortion;
  readonly into: string;
  readonly endAfter: EndAfter;
  readonly dialect: Dialect;
}

type Rows = InsertPortion["chunks"][number];

/** One statement for all rows: each column as an array. */
function arrayStatements(
  { portion: { columns, chunks }, into, endAfter, dialect }: Inserting,
  insertArrays: NonNullable<Dialect["writes"]["insertArrays"]>,
  advanced: { readonly table: string; readonly identity: string } | undefined,
): readonly EncodedStatement[] {
  const end = endAfter(columns.length);
  const types = columns.map(({ type }) => type);
  const text = insertArrays({ into, types, ...advanced }) + end.text;
  return chunks.map((rows) => ({
    text,
    parameters: [
      ...columns.map(({ type }, i) =>
        dialect.wire.encode({ kind: "list", values: rows.map((row) => row[i] as Scalar), type }),
      ),
      ...end.parameters,
    ],
  }));
}

/** The rows one by one, with a word for what one of them leaves to the database. */
function valuesStatements({
  portion: { columns, chunks, isMixed },
  into,
  endAfter,
  dialect,
}: Inserting): readonly EncodedStatement[] {
  const types = columns.map(({ type }) => type);
  const { placeholder } = dialect.text;
  const forms = types.map((type) => storedIn(type, dialect.name)?.write);
  const written = (text: string, i: number) => inForm(forms[i], text);
  const textOf = (rows: Rows): { readonly text: string; readonly end: EncodedStatement } => {
    let before = 0;
    const texts = rows.map(
      (row) =>
        `(${row.map((value, i) => (value === undefined ? "default" : written(placeholder(++before), i))).join(", ")})`,
    );
    const end = endAfter(before);
    return { text: `${into} values ${texts.join(", ")}${end.text}`, end };
  };
  const known = new Map<number, ReturnType<typeof textOf>>();
  return chunks.map((rows) => {
    const { text, end } = (isMixed ? undefined : known.get(rows.length)) ?? textOf(rows);
    if (!isMixed) known.set(rows.length, { text, end });
    const parameters: Wire[] = [];
    for (const row of rows)
      for (let i = 0; i < row.length; i++) {
        const value = row[i];
        if (value !== undefined)
          parameters.push(dialect.wire.encode({ kind: "value", value, type: types[i] as ValueType }));
      }
    parameters.push(...end.parameters);
    return { text, parameters };
  });
}

/** The statements that insert the rows of a plan. */
export function insertStatements(
  { entity, portions, returning }: InsertPlan,
  dialect: Dialect,
): readonly EncodedStatement[] {
  const table = qualifiedTable(entity, dialect);
  const returned = returnedItems(returning);
  const { insertArrays, emptyRow, advance } = dialect.writes;
  let last: number | undefined;
  const statements = portions.flatMap((portion): readonly EncodedStatement[] => {
    const { columns, chunks, isMixed } = portion;
    const conflict = portion.conflict === undefined ? undefined : conflictIn(portion.conflict);
    const endAfter = (before: number): EncodedStatement => {
      const { text, parameters } = printInsertEnd({ conflict, returning: returned }, dialect, before);
      return { text, parameters: parameters.map((parameter) => encodeParameter(dialect, parameter, [])) };
    };
    if (columns.length === 0) {
      const end = endAfter(0);
      return chunks.map(() => ({
        text: `insert into ${table} ${emptyRow}${end.text}`,
        parameters: end.parameters,
      }));
    }
    const into = `insert into ${table} (${columns.map(({ name }) => dialect.text.quote(name)).join(", ")})`;
    const inserting = { portion, into, endAfter, dialect };
    const at = columns.findIndex(({ kind }) => kind === "identity");
    // One statement inserts and moves the counter, where nothing else is asked of it.
    const isOne = !isMixed && insertArrays !== undefined && conflict === undefined && returned.length === 0;
    if (at >= 0 && !isOne)
      for (const row of chunks.flat()) if (row[at] !== undefined) last = Math.max(last ?? 0, row[at] as number);
    if (isMixed || insertArrays === undefined) return valuesStatements(inserting);
    const identity = columns[at]?.name;
    return arrayStatements(inserting, insertArrays, isOne && identity !== undefined ? { table, identity } : undefined);
  });
  const identity = [...entity.columns.values()].find(({ kind }) => kind === "identity");
  if (last === undefined || identity === undefined) return statements;
  return [...statements, ...advance(table, identity.name, last).map((one) => ({ ...one, isBeside: true }))];
}

/** The statements that keep the engine from handing out again the identities that the rows of a query have. */
export function advanceAfter({ entity, set }: InsertFromPlan, dialect: Dialect): readonly EncodedStatement[] {
  const identity = set.find(({ column }) => column.kind === "identity")?.column;
  if (identity === undefined) return [];
  const table = qualifiedTable(entity, dialect);
  const statements = dialect.writes.advance(table, identity.name, undefined);
  return statements.map((one) => ({ ...one, isBeside: true }));
}

/** The statement that inserts the rows of a query. */
export function insertFromStatement({ entity, query, set }: InsertFromPlan, dialect: Dialect): Printed {
  const names = set.map(({ column }) => dialect.text.quote(column.name)).join(", ");
  const scope = startScope();
  const select = selectOf(
    scope,
    query,
    set.map(({ value: node }) => [node, undefined]),
  );
  const { text, parameters } = print({ ...select, common: commonOf(scope) }, dialect);
  return { text: `insert into ${qualifiedTable(entity, dialect)} (${names}) ${text}`, parameters };
}
