import type { QueryState } from "../../src/ir/index.js";
import type { DeletePlan, UpdatePlan } from "../../src/plan/index.js";
import { Compiler, type Planner } from "../../src/run/cache/compiler.js";
import { changeWithoutValues, parameterFiller, statementFiller, type Values, withoutValues } from "../../src/run/cache/holes.js";
import { keyOfChange, keyOfQuery } from "../../src/run/cache/key.js";
import { Trie } from "../../src/run/cache/trie.js";
import { type CompiledStatement, encodeParameter, printChange } from "../../src/sql/index.js";

// With GEMACH_CHECKED=1 each statement that was found by a query's key, or kept with the query, is compared with one that is compiled of that
// query alone: its values are left out and put in again as for others, since a statement may be written otherwise for a value than for its place.

type Dialect = Compiler["runtime"]["dialect"];
type Parameters = CompiledStatement["parameters"];

const plainly = (value: unknown): string =>
  JSON.stringify(value, (_, part) => (typeof part === "bigint" ? `${part}n` : part instanceof Uint8Array ? [...part] : part)) ?? "";

function told(dialect: Dialect, parameters: Parameters): string {
  const wires = parameters.map((one) => (one.kind === "value" || one.kind === "list" ? encodeParameter(dialect, one, []) : one));
  return plainly(wires);
}

/** All that is sent of a statement, as text. */
function sent(dialect: Dialect, { text, parameters, packed, sized, followUps }: CompiledStatement): string {
  const parts = [text, told(dialect, parameters), plainly(packed)];
  for (const keys of sized === undefined ? [] : [1, 3]) {
    const printed = sized?.(keys);
    if (printed !== undefined) parts.push(printed.text, told(dialect, printed.parameters));
  }
  return [...parts, ...[...followUps.values()].map((one) => sent(dialect, one))].join("\n");
}

const marked = Symbol.for("gemach.test.checked");
const prototype = Compiler.prototype as Compiler & { [marked]?: true };

if (process.env.GEMACH_CHECKED === "1" && !prototype[marked]) {
  prototype[marked] = true;
  const { compile, change } = prototype;
  const refuse = (what: string, shared: string, fresh: string): void => {
    if (shared !== fresh) throw new Error(`a shared ${what} is not the query's own\nshared: ${shared}\nfresh:  ${fresh}`);
  };
  /** The statement of a query that nothing else was compiled before. */
  const own = (compiler: Compiler, query: QueryState, planner: Planner): CompiledStatement => {
    const values: Values | undefined = query.source.entity.derivation === undefined ? keyOfQuery(new Trie().root, "", query)?.values : undefined;
    if (values === undefined) return compiler.fresh(query, planner);
    const open = compiler.fresh(withoutValues(query, values), planner);
    return statementFiller(open, compiler.runtime.dialect)?.(values) ?? open;
  };
  const ownChange = (dialect: Dialect, plan: UpdatePlan | DeletePlan) => {
    const { values } = keyOfChange(new Trie().root, plan) as { readonly values: Values };
    const { text, parameters } = printChange(changeWithoutValues(plan, values), dialect);
    return { text, parameters: parameterFiller(parameters, dialect)?.(values) ?? parameters };
  };
  prototype.compile = function (query, use, planner) {
    const found = compile.call(this, query, use, planner);
    const { dialect } = this.runtime;
    refuse("statement", sent(dialect, found), sent(dialect, own(this, query.given?.template ?? query, planner)));
    return found;
  };
  prototype.change = function (plan, given) {
    const found = change.call(this, plan, given);
    if (found === undefined || (plan.kind !== "update" && plan.kind !== "delete")) return found;
    const { dialect } = this.runtime;
    const { text, parameters } = ownChange(dialect, plan);
    const wires = parameters.map((one) => encodeParameter(dialect, one, [], given));
    refuse("change", plainly([found.text, found.parameters]), plainly([text, wires]));
    return found;
  };
}
