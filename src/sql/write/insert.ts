import { derived, derivedByName, type Scalar } from "../../columns/index.js";
import type { ResolvedColumn, ResolvedEntity } from "../../ir/index.js";
import type { ConflictPlan, InsertPlan, InsertPortion, Returning, RowValues } from "../../plan/index.js";
import type { Dialect, WriteText } from "../dialects/dialect.js";
import { encodeParameter } from "../dialects/encode.js";
import { inForm, storedIn } from "../dialects/stored.js";
import type { Encoder, Wire } from "../dialects/wire.js";
import { printInsertEnd } from "../print/print-write.js";
import { qualifiedTable } from "../print/printer.js";
import { startScope, value } from "../translate/expression.js";
import { addTable, tableOf } from "../translate/scope.js";
import { partName } from "../tree/common-names.js";
import { selectOver } from "../tree/select.js";
import type { InsertEnd } from "../tree/tree.js";
import { fitting } from "./fitting.js";
import { returnedItems } from "./returned.js";

/** A statement of a plan that writes. */
export interface EncodedStatement extends WriteText {
  /** Whether it only goes with the write: its answer is none of the write's. */
  readonly isBeside?: boolean;
  /** What is to follow where it gives a value: an identity that the engine's counter is behind. */
  readonly advance?: ((last: Wire) => WriteText) | undefined;
}

/** Makes the statement of rows; undefined among them where one leaves a column to the database. */
type Inserter = (rows: readonly RowValues[]) => EncodedStatement;

/** What an inserter is made of. */
interface Inserting {
  readonly entity: ResolvedEntity;
  readonly columns: readonly ResolvedColumn[];
  readonly isMixed: boolean;
  readonly conflict: ConflictPlan | undefined;
  readonly returning: Returning | undefined;
  /** Whether its statement is one by itself, and no part of a transaction. */
  readonly isAlone: boolean;
}

/**
 * What the row that is there already is called: the table's name, unless that is the one of the row that was to be
 * inserted.
 */
const rowName = ({ table }: ResolvedEntity, { writes: { proposedRow } }: Dialect): string =>
  proposedRow === undefined ? table : partName(proposedRow, table);

function conflictIn({ by, set, old, proposed }: ConflictPlan, dialect: Dialect): InsertEnd["conflict"] {
  const { entity } = old;
  const scope = startScope();
  const table = rowName(entity, dialect);
  scope.tables.set(old, addTable(selectOver(tableOf(entity, table)), entity, table));
  scope.tables.set(proposed, { ...addTable(selectOver(tableOf(entity, table)), entity, table), isProposed: true });
  return {
    by: by.map(({ name }) => name),
    set: set.map(({ column, value: node }) => ({
      column: column.name,
      value: fitting(column, node, value(scope, node), dialect),
    })),
  };
}

/** Gives what stands after the rows, encoded, of which `before` placeholders stand before it. */
function endOf({ conflict, returning }: Inserting, dialect: Dialect): (before: number) => EncodedStatement {
  const end = {
    conflict: conflict === undefined ? undefined : conflictIn(conflict, dialect),
    returning: returnedItems(returning),
  };
  return (before) => {
    const { text, parameters } = printInsertEnd(end, dialect, before);
    return { text, parameters: parameters.map((parameter) => encodeParameter(dialect, parameter, [])) };
  };
}

/** All rows by one statement: each column as an array. */
function arrayInserter(
  inserting: Inserting,
  into: string,
  insertArrays: NonNullable<Dialect["writes"]["insertArrays"]>,
  dialect: Dialect,
): Inserter {
  const types = inserting.columns.map(({ type }) => type);
  const end = endOf(inserting, dialect)(types.length);
  const own = advancing(inserting, insertArrays(into, types) + end.text, false, dialect);
  const { encode } = dialect.wire;
  return (rows) => ({
    ...own,
    parameters: [
      ...types.map((type, i) => encode({ kind: "list", values: rows.map((row) => row[i] as Scalar), type })),
      ...end.parameters,
    ],
  });
}

/**
 * Whether one statement inserts and moves the counter of identities that rows bring: where nothing else is asked of it.
 */
const isAdvancing = (
  { columns, isMixed }: Pick<Inserting, "columns" | "isMixed">,
  returning: unknown,
  dialect: Dialect,
): boolean =>
  dialect.writes.advancing !== undefined &&
  !isMixed &&
  returning === undefined &&
  columns.some(({ kind }) => kind === "identity");

/** An insert that moves the counter with it, or tells whether it is behind, where one statement can. */
function advancing(
  inserting: Inserting,
  text: string,
  isOne: boolean,
  dialect: Dialect,
): Omit<EncodedStatement, "parameters"> {
  const { entity, columns, returning, isAlone } = inserting;
  const identity = columns.find(({ kind }) => kind === "identity");
  if (identity === undefined || !isAdvancing(inserting, returning, dialect)) return { text };
  const how = { isAlone, isOne };
  const made = dialect.writes.advancing?.(text, qualifiedTable(entity, dialect), identity.name, how) ?? text;
  return isAlone ? { text: made } : { text: made, advance: advanceOf(entity, identity, dialect) };
}

const advanceOf = (entity: ResolvedEntity, { name }: ResolvedColumn, dialect: Dialect): EncodedStatement["advance"] => {
  const { advance } = dialect.writes;
  return advance && ((last) => advance(qualifiedTable(entity, dialect), name, last as string | number | bigint));
};

/** Asks whether the engine's counter is behind an identity, or behind the table's last one. */
export function behind(
  entity: ResolvedEntity,
  identity: ResolvedColumn,
  last: number | undefined,
  dialect: Dialect,
): readonly EncodedStatement[] {
  const asked = dialect.writes.behind?.(qualifiedTable(entity, dialect), identity.name, last);
  return asked === undefined ? [] : [{ ...asked, isBeside: true, advance: advanceOf(entity, identity, dialect) }];
}

/** The rows one by one, with a word for what one of them leaves to the database. */
function valuesInserter(inserting: Inserting, into: string, dialect: Dialect): Inserter {
  const { columns, isMixed } = inserting;
  const { placeholder } = dialect.text;
  const endAfter = endOf(inserting, dialect);
  const forms = columns.map(({ type }) => storedIn(type, dialect.name)?.write);
  const encoders = columns.map(({ type }): Encoder | undefined => dialect.wire.encoder(type));
  const textOf = (rows: readonly RowValues[]): EncodedStatement => {
    let before = 0;
    const written = (value: unknown, i: number) =>
      value === undefined ? "default" : inForm(forms[i], placeholder(++before));
    const texts = rows.map((row) => `(${row.map(written).join(", ")})`);
    const end = endAfter(before);
    const text = `${into} values ${texts.join(", ")}${end.text}`;
    return { ...advancing(inserting, text, rows.length === 1, dialect), parameters: end.parameters };
  };
  /** By the number of rows: of few sizes, unless each text says what its own rows leave out. */
  const texts = new Map<number, EncodedStatement>();
  return (rows) => {
    let known = isMixed ? undefined : texts.get(rows.length);
    if (known === undefined) {
      known = textOf(rows);
      if (!isMixed) texts.set(rows.length, known);
    }
    const parameters: Wire[] = [];
    for (const row of rows)
      for (let i = 0; i < row.length; i++) {
        const value = row[i];
        if (value === undefined) continue;
        const encode = encoders[i];
        parameters.push(encode === undefined ? (value as Wire) : encode(value));
      }
    for (const parameter of known.parameters) parameters.push(parameter);
    return { text: known.text, parameters, advance: known.advance };
  };
}

function inserterOf(inserting: Inserting, dialect: Dialect): Inserter {
  const { entity, columns, isMixed } = inserting;
  const { insertArrays, emptyRow } = dialect.writes;
  const alias = rowName(entity, dialect);
  const table = qualifiedTable(entity, dialect) + (alias === entity.table ? "" : ` as ${dialect.text.quote(alias)}`);
  if (columns.length === 0) {
    const end = endOf(inserting, dialect)(0);
    const row = emptyRow(entity, inserting.conflict !== undefined);
    const statement = { text: `insert into ${table} ${row}${end.text}`, parameters: end.parameters };
    return () => statement;
  }
  const into = `insert into ${table} (${columns.map(({ name }) => dialect.text.quote(name)).join(", ")})`;
  const byValues = valuesInserter(inserting, into, dialect);
  if (isMixed || insertArrays === undefined) return byValues;
  const byArrays = arrayInserter(inserting, into, insertArrays, dialect);
  return (rows) => (rows.length === 1 ? byValues(rows) : byArrays(rows));
}

const inserters = derived((_: Dialect) => derivedByName<readonly ResolvedColumn[], string, Inserter>());

/** The inserter of a portion: the same one for all inserts of the same columns that end alike, as most do. */
function inserterFor(portion: InsertPortion, plan: InsertPlan, dialect: Dialect, isAlone: boolean): Inserter {
  const { columns, isMixed, conflict } = portion;
  const { entity, returning, end } = plan;
  const make = () => inserterOf({ entity, columns, isMixed, conflict, returning, isAlone }, dialect);
  if (isMixed || end === undefined) return make();
  return inserters(dialect)(columns, isAlone ? end : `${end} in a transaction`, make);
}

/** The greatest identity that rows bring themselves; undefined where they bring none. */
function lastIdentity({ columns, chunks }: InsertPortion): number | undefined {
  const at = columns.findIndex(({ kind }) => kind === "identity");
  if (at < 0) return undefined;
  let last: number | undefined;
  for (const rows of chunks)
    for (const row of rows) if (row[at] !== undefined) last = Math.max(last ?? 0, row[at] as number);
  return last;
}

/** The statements that insert the rows of a plan; `isWithin`: as part of a transaction. */
export function insertStatements(plan: InsertPlan, dialect: Dialect, isWithin: boolean): readonly EncodedStatement[] {
  const { entity, portions, returning } = plan;
  const isAlone = !isWithin && portions.length === 1 && portions[0]?.chunks.length === 1;
  const statements: EncodedStatement[] = [];
  let last: number | undefined;
  for (const portion of portions) {
    const insert = inserterFor(portion, plan, dialect, isAlone);
    for (const rows of portion.chunks) statements.push(insert(rows));
    const own = isAdvancing(portion, returning, dialect) ? undefined : lastIdentity(portion);
    if (own !== undefined) last = Math.max(last ?? 0, own);
  }
  const identity = [...entity.columns.values()].find(({ kind }) => kind === "identity");
  if (last === undefined || identity === undefined) return statements;
  return [...statements, ...behind(entity, identity, last, dialect)];
}
