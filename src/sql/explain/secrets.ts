import type { ResolvedEntity } from "../../ir/index.js";
import type { Compound, RawExpression, Select, SqlExpression, TableTerm } from "../tree/tree.js";
import { partsOf, partsOfRows } from "../tree/walk.js";

type Rows = Select | Compound | RawExpression;

const secretsOf = (entity: ResolvedEntity | undefined): readonly string[] =>
  [...(entity?.columns.values() ?? [])].flatMap((column) => (column.isSecret ? [column.name] : []));

function* secretsIn(term: TableTerm): Generator<string> {
  if (term.kind === "table") yield* secretsOf(term.entity);
  if (term.kind !== "joined") return;
  yield* secretsIn(term.table);
  for (const { table } of term.joins) yield* secretsIn(table);
}

/** Every select inside of rows, and inside of its expressions. */
function* selectsIn(rows: Rows): Generator<Rows> {
  yield rows;
  const inside = function* (expression: SqlExpression): Generator<Rows> {
    const { expressions, selects = [] } = partsOf(expression);
    for (const select of selects) yield* selectsIn(select);
    for (const part of expressions) yield* inside(part);
  };
  const { expressions, selects = [] } = partsOfRows(rows);
  for (const select of selects) yield* selectsIn(select);
  for (const expression of expressions) yield* inside(expression);
}

const speaksOf = (expression: SqlExpression, names: ReadonlySet<string>): boolean =>
  (expression.kind === "column" && names.has(expression.name)) ||
  partsOf(expression).expressions.some((part) => speaksOf(part, names));

/** The names of the secret columns of a statement's tables, and of what is made of them. */
function namesIn(all: readonly Rows[]): ReadonlySet<string> {
  const names = new Set<string>();
  const selects = all.filter((rows): rows is Select => "from" in rows);
  for (const { from, joins } of selects)
    for (const term of [from, ...joins.map(({ table }) => table)]) for (const name of secretsIn(term)) names.add(name);
  for (let before = -1; names.size > 0 && names.size !== before; ) {
    before = names.size;
    for (const { items } of selects)
      for (const { expression, alias } of items)
        if (alias !== undefined && speaksOf(expression, names)) names.add(alias);
  }
  return names;
}

/**
 * Whether a statement is given values that may be those of a secret column: it compares one, or makes something of one.
 * Only reading it gives nothing away.
 */
export function givesSecrets(rows: Select | Compound): boolean {
  const all = [...selectsIn(rows)];
  const names = namesIn(all);
  if (names.size === 0) return false;
  return all.some((one) => {
    const read = new Set("from" in one ? one.items.map(({ expression }) => expression) : []);
    return partsOfRows(one).expressions.some(
      (expression) => !(expression.kind === "column" && read.has(expression)) && speaksOf(expression, names),
    );
  });
}

/** Whether a statement that writes rows of an entity has anything to do with a secret column of it. */
export const writesSecrets = (entity: ResolvedEntity, text: string): boolean =>
  secretsOf(entity).some((name) => text.includes(name));
