import { comparedKind } from "../columns/index.js";
import type { AggregateName, NodeType, WindowName } from "../expression/index.js";
import { isClosed, standardCalls } from "./calls.js";
import { namesOf } from "./common-names.js";
import type { Dialect } from "./dialect.js";
import { newPrinter, type Printer, parameterOf, place } from "./printer.js";
import type {
  CallExpression,
  Compound,
  Join,
  NestExpression,
  NestItem,
  Parameter,
  RawExpression,
  Select,
  SelectItem,
  SortTerm,
  SqlExpression,
  TableTerm,
  WindowExpression,
} from "./tree.js";
/** A statement's text, with what belongs to its placeholders in the order of their positions. */
export interface Printed {
  readonly text: string;
  readonly parameters: readonly Parameter[];
}

/** An operand in brackets where it is itself made of operands. */
function operand(printer: Printer, expression: SqlExpression): string {
  const text = printExpression(printer, expression);
  switch (expression.kind) {
    case "column":
    case "position":
    case "parameter":
    case "literal":
    case "subquery":
    case "rowCount":
    case "exists":
    case "sortable":
    case "aggregate":
    case "case":
      return text;
    case "window":
      return text;
    case "call":
      // A collation binds more tightly than any operator.
      return isClosed(text.replace(/ collate ["\w]+$/, "")) ? text : `(${text})`;
    default:
      return `(${text})`;
  }
}

/** Conditions side by side; one that is of the other operator stands in brackets. */
export const printLogic = (printer: Printer, operator: "and" | "or", conditions: readonly SqlExpression[]): string =>
  conditions
    .map((part) => {
      const text = printExpression(printer, part);
      return conditions.length > 1 && part.kind === "logic" && part.operator !== operator ? `(${text})` : text;
    })
    .join(` ${operator} `);

/** The text of an expression. */
export function printExpression(printer: Printer, expression: SqlExpression): string {
  const { dialect } = printer;
  switch (expression.kind) {
    case "column":
      if (expression.table === proposedRow) return dialect.proposed(dialect.quote(expression.name));
      return expression.table === ""
        ? dialect.quote(expression.name)
        : `${dialect.quote(expression.table)}.${dialect.quote(expression.name)}`;
    case "position":
      return String(expression.position);
    case "parameter":
      return place(printer, expression.parameter);
    case "literal":
      return dialect.literal(expression.value, expression.type);
    case "constant":
      return expression.value === 1 ? "1" : expression.value ? "1 = 1" : "1 = 0";
    case "binary":
      return `${operand(printer, expression.left)} ${expression.operator} ${operand(printer, expression.right)}`;
    case "distinct":
      return dialect.distinct(operand(printer, expression.left), operand(printer, expression.right));
    case "logic":
      return printLogic(printer, expression.operator, expression.items);
    case "not":
      return `not ${operand(printer, expression.item)}`;
    case "isNull":
      return `${operand(printer, expression.operand)} is ${expression.negated ? "not " : ""}null`;
    case "isTrue":
      return `${operand(printer, expression.item)} is ${expression.negated ? "not " : ""}true`;
    case "inList": {
      const { values, type, negated } = expression;
      const left = operand(printer, expression.operand);
      const list = parameterOf(printer, expression, () =>
        "hole" in values
          ? { kind: "hole", hole: values.hole, type, isTyped: false, isList: true }
          : { kind: "list", values, type },
      );
      if (printer.parameters === undefined) return `${left} ${negated ? "not in" : "in"} (${place(printer, list)})`;
      return dialect.inList(left, place(printer, list), type, negated);
    }
    case "inKeys": {
      const { types } = expression;
      const operands = expression.operands.map((part) => operand(printer, part));
      return dialect.inKeys(operands, types, (part) => place(printer, { kind: "keys", types, part }));
    }
    case "call":
      return printCall(printer, expression);
    case "case": {
      const branches = expression.branches.map(
        ({ when, value }) => `when ${printExpression(printer, when)} then ${printExpression(printer, value)}`,
      );
      const { otherwise } = expression;
      const rest = otherwise === undefined ? "" : ` else ${printExpression(printer, otherwise)}`;
      return `case ${branches.join(" ")}${rest} end`;
    }
    case "like": {
      const pattern = parameterOf(printer, expression, () => ({
        kind: "value",
        value: dialect.pattern(expression.pattern),
        type: { kind: "text" },
      }));
      const left = operand(printer, expression.operand);
      return `${left} ${expression.negated ? "not " : ""}${dialect.likeOperator} ${place(printer, pattern)}`;
    }
    case "aggregate": {
      const { aggregate, operand: of, filter } = expression;
      const over = () => (filter === undefined ? "" : ` filter (where ${printExpression(printer, filter)})`);
      if (of === undefined) return `count(*)${over()}`;
      return dialect.aggregate(aggregate, () => printExpression(printer, of), expression, over);
    }
    case "exists":
      return `${expression.negated ? "not " : ""}exists (${printSelect(printer, expression.select)})`;
    case "subquery":
      return `(${printSelect(printer, expression.select)})`;
    case "rowCount":
      return "count(*)";
    case "sortable":
      return dialect.sortable(printExpression(printer, expression.item), expression.type);
    case "inSelect": {
      const { operands, negated, select } = expression;
      const left = operands.map((part) => operand(printer, part)).join(", ");
      return `${operands.length === 1 ? left : `(${left})`} ${negated ? "not in" : "in"} (${printSelect(printer, select)})`;
    }
    case "inRows": {
      const { types, rows } = expression;
      const operands = expression.operands.map((part) => operand(printer, part));
      return dialect.inKeys(operands, types, (part) => place(printer, { kind: "rows", rows, types, part }));
    }
    case "window":
      return printWindow(printer, expression);
    case "nest":
      return printNest(printer, expression);
    case "raw":
      return printRaw(printer, expression);
    default:
      return expression satisfies never;
  }
}

const nestedValues = (printer: Printer, items: readonly NestItem[]): readonly string[] =>
  items.map(({ expression, type }) => printer.dialect.inJson(printExpression(printer, expression), type));

function printNest(printer: Printer, { items, orderBy, limit, offset }: NestExpression): string {
  const { dialect } = printer;
  const text = (rows: number | undefined) => (rows === undefined ? undefined : String(rows));
  return dialect.nest(
    nestedValues(printer, items),
    printOrder(printer, orderBy),
    dialect.limit(text(limit), text(offset)),
  );
}

function printCall(printer: Printer, node: CallExpression): string {
  const { operands, type, of, call } = node;
  const inside = (index: number) => printExpression(printer, operands[index] as SqlExpression);
  // A choice as plain text is the same to every engine.
  const isSame = call === "cast" && type.kind === "text" && comparedKind((of[0] as NodeType).type.kind) === "text";
  if (isSame) return operand(printer, operands[0] as SqlExpression);
  const print = printer.dialect.calls[call] ?? standardCalls[call];
  return print({
    node,
    type,
    of: (index) => (of[index] as NodeType).type,
    inside,
    beside: (index) => operand(printer, operands[index] as SqlExpression),
    all: () => operands.map((_, index) => inside(index)).join(", "),
    text: (value) => place(printer, { kind: "value", value, type: { kind: "text" } }),
  });
}

const windowNames: Readonly<Record<WindowName, string>> = {
  rowNumber: "row_number",
  rank: "rank",
  denseRank: "dense_rank",
  lag: "lag",
  lead: "lead",
  firstValue: "first_value",
  lastValue: "last_value",
};

/** Rows before and after the row, which its value is worked out of. */
function printFrame(frame: WindowExpression["frame"]): string {
  if (frame === undefined) return "";
  const { before, after } = frame;
  const end = (rows: number | undefined, side: string) =>
    rows === 0 ? "current row" : `${rows ?? "unbounded"} ${side}`;
  return ` rows between ${end(before, "preceding")} and ${end(after, "following")}`;
}

function printWindow(printer: Printer, window: WindowExpression): string {
  const { call, operands, partitionBy, orderBy, frame } = window;
  const over = () => {
    const parts = [
      partitionBy.length === 0
        ? ""
        : `partition by ${partitionBy.map((part) => printExpression(printer, part)).join(", ")}`,
      printOrder(printer, orderBy).trim(),
      printFrame(frame).trim(),
    ];
    return ` over (${parts.filter((part) => part !== "").join(" ")})`;
  };
  if (call in windowNames) {
    const all = operands.map((part) => printExpression(printer, part)).join(", ");
    return `${windowNames[call as WindowName]}(${all})${over()}`;
  }
  const [of] = operands;
  if (of === undefined) return `count(*)${over()}`;
  return printer.dialect.aggregate(call as AggregateName, () => printExpression(printer, of), window, over);
}

/** The table that stands for a row which an insert would have added. */
export const proposedRow = "\0proposed";

/** An expression in a table's definition: of its own columns, with values in the text. They come from the model. */
export const printDefinition = (expression: SqlExpression, dialect: Dialect): string =>
  printExpression(newPrinter(dialect, undefined), expression);

function printOrder(printer: Printer, terms: readonly SortTerm[]): string {
  if (terms.length === 0) return "";
  const { dialect } = printer;
  const printed = terms.map(({ expression, descending, isNullable, nulls: said }) => {
    const isSortedFirst = isNullable && said !== undefined && !dialect.saysNulls;
    const first = isSortedFirst ? `${operand(printer, expression)} is null${said === "first" ? " desc" : ""}, ` : "";
    const nulls = isNullable ? dialect.nulls(descending, said) : "";
    return `${first}${printExpression(printer, expression)}${descending ? " desc" : ""}${nulls}`;
  });
  return ` order by ${printed.join(", ")}`;
}

/** A table's name, with its schema where that was given. */
export const qualifiedTable = (
  { schema, table }: { readonly schema: string | undefined; readonly table: string },
  { quote }: Dialect,
): string => (schema === undefined ? quote(table) : `${quote(schema)}.${quote(table)}`);

function printTable(printer: Printer, term: TableTerm): string {
  const { quote } = printer.dialect;
  if (term.kind === "derived")
    return `${term.isLateral ? "lateral " : ""}(${printRows(printer, term.select)}) as ${quote(term.alias)}`;
  if (term.kind === "keys") {
    const { types } = term;
    const add = (part: number | "all") => place(printer, { kind: "keys", types, part });
    return printer.dialect.keysTable(types, add, quote(term.alias));
  }
  if (term.kind === "numbers") {
    const numbers = Array.from({ length: term.count }, (_, n) =>
      n === 0 ? `select 0 as ${quote("n")}` : `select ${n}`,
    );
    return `(${numbers.join(" union all ")}) as ${quote(term.alias)}`;
  }
  if (term.kind === "common") {
    const name = printer.names.get(term.of) ?? term.alias;
    return name === term.alias ? quote(name) : `${quote(name)} as ${quote(term.alias)}`;
  }
  if (term.kind === "joined") return `(${printTable(printer, term.table)}${printJoins(printer, term.joins)})`;
  const table = qualifiedTable(term, printer.dialect);
  return term.alias === term.table ? table : `${table} as ${quote(term.alias)}`;
}

const printJoins = (printer: Printer, joins: readonly Join[]): string =>
  joins
    .map(({ kind, table, on }) => {
      const joined = printTable(printer, table);
      if (kind === "cross") return ` cross join ${joined}`;
      return ` ${kind === "left" ? "left join" : "join"} ${joined} on ${printLogic(printer, "and", on)}`;
    })
    .join("");

/** SQL as it was written, with a table's name, a column or a placeholder between its parts. */
const printRaw = (printer: Printer, { parts, between }: RawExpression): string =>
  parts
    .map((part, i) => {
      const next = between[i];
      if (next === undefined) return part;
      return part + (next.kind === "table" ? qualifiedTable(next, printer.dialect) : operand(printer, next));
    })
    .join("");

/** The text of a statement as it was written. */
export function printStatement(raw: RawExpression, dialect: Dialect): Printed {
  const parameters: Parameter[] = [];
  return { text: printRaw(newPrinter(dialect, parameters), raw).trim(), parameters };
}

const printRows = (printer: Printer, rows: Select | Compound | RawExpression): string =>
  "parts" in rows
    ? printRaw(printer, rows).trim()
    : "operator" in rows
      ? printCompound(printer, rows)
      : printSelect(printer, rows);

/** Selects one after the other, and what is said of all of their rows. */
function printCompound(printer: Printer, compound: Compound): string {
  const { selects, operator, orderBy = [], limit, offset } = compound;
  const before = printCommon(printer, compound);
  const rows = selects.map((select) => printSelect(printer, select)).join(` ${operator} `);
  return before + rows + printOrder(printer, orderBy) + printCut(printer, limit, offset);
}

/** How many rows, and from which on. */
function printCut(printer: Printer, limit: Select["limit"], offset: number | undefined): string {
  const count = (rows: number | undefined) =>
    rows === undefined ? undefined : place(printer, { kind: "value", value: rows, type: { kind: "integer" } });
  // The documentation's own way to say "all the rest" (MariaDB, LIMIT): the largest number there is.
  const said = { one: "1", all: "18446744073709551615" };
  return printer.dialect.limit(typeof limit === "string" ? said[limit] : count(limit), count(offset));
}

/** What a select or a write gives of each row. */
export const printItems = (printer: Printer, items: readonly SelectItem[]): string =>
  items
    .map(({ expression, alias, read: type }) => {
      const plain = printExpression(printer, expression);
      const text = type === undefined ? plain : printer.dialect.read(plain, type);
      const isNamed = alias === undefined || (expression.kind === "column" && expression.name === alias);
      return isNamed ? text : `${text} as ${printer.dialect.quote(alias)}`;
    })
    .join(", ");

/** The queries that a select names before it begins, by names that no table in it has. */
function printCommon(printer: Printer, select: Select | Compound): string {
  const { common = [] } = select;
  if (common.length === 0) return "";
  const { quote } = printer.dialect;
  for (const [of, name] of namesOf(select, common)) printer.names.set(of, name);
  const named = common.map(({ of, columns, select: rows }) => {
    const name = quote(printer.names.get(of) as string);
    return `${name} (${columns.map(quote).join(", ")}) as (${printRows(printer, rows)})`;
  });
  return `with ${common.some((table) => table.isRecursive) ? "recursive " : ""}${named.join(", ")} `;
}

function printSelect(printer: Printer, select: Select): string {
  const { from, joins, where, groupBy, having, orderBy } = select;
  return [
    printCommon(printer, select),
    `select ${select.isDistinct ? "distinct " : ""}${printItems(printer, select.items)} from ${printTable(printer, from)}`,
    printJoins(printer, joins),
    where.length === 0 ? "" : ` where ${printLogic(printer, "and", where)}`,
    groupBy.length === 0 ? "" : ` group by ${groupBy.map((part) => printExpression(printer, part)).join(", ")}`,
    having.length === 0 ? "" : ` having ${printLogic(printer, "and", having)}`,
    printOrder(printer, orderBy),
    printCut(printer, select.limit, select.offset),
    select.lock === undefined ? "" : (printer.dialect.lock?.(select.lock, printer.dialect.quote(from.alias)) ?? ""),
  ].join("");
}

/** The text of a select in a dialect. Values stay out of it: each is a parameter. */
export function print(select: Select | Compound, dialect: Dialect): Printed {
  const parameters: Parameter[] = [];
  return { text: printRows(newPrinter(dialect, parameters), select), parameters };
}
