import { comparedKind } from "../../columns/index.js";
import type { AggregateName, NodeType, WindowName } from "../../ir/index.js";
import type { Dialect } from "../dialects/dialect.js";
import { storedIn } from "../dialects/stored.js";
import { namesOf } from "../tree/common-names.js";
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
} from "../tree/tree.js";
import { isClosed, printerOf } from "./calls.js";
import { printInList, printLimits, printPattern } from "./counted-parts.js";
import { joinItems, type PrintedItem, positionAmong, printGroups } from "./items.js";
import { newPrinter, outOfForm, type Printer, place, qualifiedTable } from "./printer.js";
import { printFrame, windowNames } from "./windows.js";

/** A statement's text, with what belongs to its placeholders in the order of their positions. */
export interface Printed {
  readonly text: string;
  readonly parameters: readonly Parameter[];
}

/** An operand in brackets where it is itself made of operands. */
function operand(printer: Printer, given: SqlExpression): string {
  const expression = sayable(printer, given);
  if (expression.kind === "canonical") return operand(printer, expression.item);
  const text = textOf(printer, expression);
  switch (expression.kind) {
    case "column":
    case "proposed":
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
    case "raw":
      return isClosed(text) ? text : `(${text})`;
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

/** An expression as the engine can say it. */
const sayable = ({ dialect: { rewrites } }: Printer, expression: SqlExpression): SqlExpression =>
  rewrites.expression?.[expression.kind]?.(expression as never) ?? expression;

/** The text of an expression. */
export const printExpression = (printer: Printer, expression: SqlExpression): string =>
  textOf(printer, sayable(printer, expression));

function textOf(printer: Printer, expression: SqlExpression): string {
  const { text, writes } = printer.dialect;
  switch (expression.kind) {
    case "column":
      return expression.table === ""
        ? text.quote(expression.name)
        : `${text.quote(expression.table)}.${text.quote(expression.name)}`;
    case "proposed":
      return writes.proposed(text.quote(expression.name));
    case "position":
      return String(expression.position);
    case "parameter":
      return place(printer, expression.parameter);
    case "literal":
      return text.literal(expression.value, expression.type);
    case "constant":
      return expression.value === 1 ? "1" : expression.value ? "1 = 1" : "1 = 0";
    case "binary":
      return `${operand(printer, expression.left)} ${expression.operator} ${operand(printer, expression.right)}`;
    case "distinct":
      return text.distinct(operand(printer, expression.left), operand(printer, expression.right));
    case "logic":
      return printLogic(printer, expression.operator, expression.items);
    case "not":
      return `not ${operand(printer, expression.item)}`;
    case "isNull":
      return `${operand(printer, expression.operand)} is ${expression.negated ? "not " : ""}null`;
    case "isTrue":
      return `${operand(printer, expression.item)} is ${expression.negated ? "not " : ""}true`;
    case "inList":
      return printInList(printer, expression, operand(printer, expression.operand));
    case "inKeys": {
      const { types } = expression;
      const operands = expression.operands.map((part) => operand(printer, part));
      return text.inKeys(operands, types, (part) => place(printer, { kind: "keys", types, part }));
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
      const left = operand(printer, expression.operand);
      return `${left} ${expression.negated ? "not " : ""}${text.likeOperator} ${printPattern(printer, expression)}`;
    }
    case "aggregate": {
      const { aggregate, operand: of, filter, details } = expression;
      const over = (also?: () => string) => {
        if (filter === undefined) return also === undefined ? "" : ` filter (where ${also()})`;
        const own = also === undefined ? printExpression(printer, filter) : operand(printer, filter);
        return ` filter (where ${own}${also === undefined ? "" : ` and ${also()}`})`;
      };
      if (of === undefined) return `count(*)${over()}`;
      return text.aggregate({
        ...expression,
        ...details,
        name: aggregate,
        operand: () => printExpression(printer, of),
        order: () => printOrder(printer, details.orderBy),
        over,
      });
    }
    case "exists":
      return `${expression.negated ? "not " : ""}exists (${printSelect(printer, expression.select)})`;
    case "subquery":
      return `(${printSelect(printer, expression.select)})`;
    case "rowCount":
      return "count(*)";
    case "canonical":
      return printExpression(printer, expression.item);
    case "sortable":
      return text.sortable(printExpression(printer, expression.item), expression.type);
    case "inSelect": {
      const { operands, negated, select } = expression;
      const left = operands.map((part) => operand(printer, part)).join(", ");
      return `${operands.length === 1 ? left : `(${left})`} ${negated ? "not in" : "in"} (${printSelect(printer, select)})`;
    }
    case "inRows": {
      const { types, rows } = expression;
      const operands = expression.operands.map((part) => operand(printer, part));
      return text.inKeys(operands, types, (part) => place(printer, { kind: "rows", rows, types, part }));
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
  items.map(({ expression, type }) =>
    printer.dialect.text.inJson(outOfForm(printer, printExpression(printer, expression), type), type),
  );

function printNest(printer: Printer, { items, orderBy, limit, offset }: NestExpression): string {
  const { text } = printer.dialect;
  const count = (rows: number | undefined) => (rows === undefined ? undefined : String(rows));
  return text.nest(nestedValues(printer, items), printOrder(printer, orderBy), text.limit(count(limit), count(offset)));
}

function printCall(printer: Printer, node: CallExpression): string {
  const { operands, type, of, call } = node;
  const inside = (index: number) => printExpression(printer, operands[index] as SqlExpression);
  // A choice as plain text is the same to every engine.
  const from = of[0]?.type;
  const isText = call === "cast" && type.kind === "text" && from !== undefined && comparedKind(from.kind) === "text";
  const isSame = isText && storedIn(from, printer.dialect.name) === undefined;
  if (isSame) return operand(printer, operands[0] as SqlExpression);
  return printerOf(
    printer.dialect.text.calls,
    call,
  )({
    node,
    type,
    of: (index) => (of[index] as NodeType).type,
    argument: inside,
    operand: (index) => operand(printer, operands[index] as SqlExpression),
    all: () => operands.map((_, index) => inside(index)).join(", "),
    text: (value) => place(printer, { kind: "value", value, type: { kind: "text" } }),
  });
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
  return printer.dialect.text.aggregate({
    ...{ isDistinct: false, separator: undefined, fraction: undefined, isOfAll: false },
    ...{ name: call as AggregateName, type: window.type, of: window.of },
    operand: () => printExpression(printer, of),
    order: () => "",
    over,
  });
}

/** An expression in a table's definition: of its own columns, with values in the text. They come from the model. */
export const printDefinition = (expression: SqlExpression, dialect: Dialect): string =>
  printExpression(newPrinter(dialect, undefined), expression);

function printOrder(printer: Printer, given: readonly SortTerm[], items: readonly PrintedItem[] = []): string {
  if (given.length === 0) return "";
  const { text, rewrites } = printer.dialect;
  const terms = rewrites.order?.(given) ?? given;
  const printed = terms.map(({ expression, descending, isNullable, nulls }) => {
    const order = isNullable ? text.nulls(descending, nulls) : "";
    return `${positionAmong(printer, items, expression, printExpression)}${descending ? " desc" : ""}${order}`;
  });
  return ` order by ${printed.join(", ")}`;
}

/** What stands in a from clause. */
export function printTable(printer: Printer, term: TableTerm): string {
  const { text, rewrites } = printer.dialect;
  const { quote } = text;
  if (term.kind === "derived") {
    const { select } = term;
    const rows = "operator" in select ? select : (rewrites.derived?.(select) ?? select);
    return `${term.isLateral ? "lateral " : ""}(${printRows(printer, rows)}) as ${quote(term.alias)}`;
  }
  if (term.kind === "keys") {
    const { types, hasPosition } = term;
    const alias = quote(term.alias);
    if (hasPosition && text.keysListed?.isNeeded(types)) {
      const rows = Array.from({ length: printer.keyCount }, (_, at) =>
        types.map((type, part) =>
          place(printer, { kind: "key", at, part, absent: text.keysListed?.absent(type) ?? null }),
        ),
      );
      return text.keysListed.table(rows, alias);
    }
    const add = (part: number | "all") => place(printer, { kind: "keys", types, part });
    return text.keysTable(types, add, alias, hasPosition);
  }
  if (term.kind === "numbers") {
    const numbers = Array.from({ length: term.count }, (_, n) =>
      n === 0 ? `select 0 as ${quote("n")}` : `select ${n}`,
    );
    return `(${numbers.join(" union all ")}) as ${quote(term.alias)}`;
  }
  if (term.kind === "series") {
    const bound = (expression: SqlExpression) => () => printExpression(printer, expression);
    return text.series(bound(term.from), bound(term.to), quote(term.alias));
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
      return ` ${kind === "inner" ? "" : `${kind} `}join ${joined} on ${printLogic(printer, "and", on)}`;
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
  const sayable = printer.dialect.rewrites.compound?.(compound) ?? compound;
  if (!("operator" in sayable)) return printSelect(printer, sayable);
  const { selects, operator, orderBy = [], limit, offset } = sayable;
  const before = printCommon(printer, compound);
  const rows = selects.map((select) => printSelect(printer, select)).join(` ${operator} `);
  return before + rows + printOrder(printer, orderBy) + printLimits(printer, limit, offset);
}

const printEach = (printer: Printer, items: readonly SelectItem[]): readonly PrintedItem[] =>
  items.map(({ expression, alias, read: type }) => {
    const from = printer.parameters?.length;
    const plain = outOfForm(printer, printExpression(printer, expression), type);
    const text = type === undefined ? plain : printer.dialect.text.read(plain, type);
    const isNamed = alias === undefined || (expression.kind === "column" && expression.name === alias);
    const name = isNamed ? "" : ` as ${printer.dialect.text.quote(alias)}`;
    return { text, name, parameters: printer.parameters?.slice(from) ?? [] };
  });

/** What a write gives of each row. */
export const printItems = (printer: Printer, items: readonly SelectItem[]): string =>
  joinItems(printEach(printer, items));

/** Whether a select names its columns itself. */
const saysNames = (rows: Select | Compound | RawExpression, columns: readonly string[]): boolean =>
  "items" in rows &&
  rows.items.every(
    ({ alias, expression }, i) => (alias ?? (expression.kind === "column" ? expression.name : "")) === columns[i],
  );

/** The queries that a select names before it begins, by names that no table in it has. */
function printCommon(printer: Printer, select: Select | Compound): string {
  const { common = [] } = select;
  if (common.length === 0) return "";
  const { quote } = printer.dialect.text;
  for (const [of, name] of namesOf(select, common)) printer.names.set(of, name);
  const named = common.map(({ of, columns, select: rows }) => {
    const name = quote(printer.names.get(of) as string);
    const list = saysNames(rows, columns) ? "" : ` (${columns.map(quote).join(", ")})`;
    return `${name}${list} as (${printRows(printer, rows)})`;
  });
  return `with ${common.some((table) => table.isRecursive) ? "recursive " : ""}${named.join(", ")} `;
}

function printSelect(printer: Printer, given: Select): string {
  const { text, rewrites } = printer.dialect;
  const select = rewrites.select?.(given) ?? given;
  const { from, joins, where, groupBy, having, orderBy } = select;
  const common = printCommon(printer, select);
  const items = printEach(printer, select.items);
  return [
    `${common}select ${select.isDistinct ? "distinct " : ""}${joinItems(items)} from ${printTable(printer, from)}`,
    printJoins(printer, joins),
    where.length === 0 ? "" : ` where ${printLogic(printer, "and", where)}`,
    groupBy.length === 0 ? "" : ` group by ${printGroups(printer, select, items, printExpression)}`,
    having.length === 0 ? "" : ` having ${printLogic(printer, "and", having)}`,
    printOrder(printer, orderBy, items),
    printLimits(printer, select.limit, select.offset),
    select.lock === undefined ? "" : text.lock(select.lock, text.quote(from.alias)),
  ].join("");
}

/** The text of a select in a dialect. Values stay out of it: each is a parameter. */
export function print(select: Select | Compound, dialect: Dialect, keyCount?: number): Printed {
  const parameters: Parameter[] = [];
  return { text: printRows(newPrinter(dialect, parameters, keyCount), select), parameters };
}
