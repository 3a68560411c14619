import { typeWord } from "../columns/index.js";
import { expectOptions, GemachError } from "../errors/index.js";
import type { Cardinality, Fault, ForeignKeyAction, Holder, Strategy } from "../ir/index.js";

/** Options of every relation. */
interface WithStrategy<Self> {
  /** The strategy by which it is fetched where nothing narrower says otherwise. */
  readonly strategy: Strategy | undefined;
  /** Fetches the relation by this strategy where nothing narrower says otherwise. */
  how(strategy: Strategy): Self;
}

/** Values that columns must have; null: none. */
export type Conditions = Readonly<Record<string, string | number | boolean | bigint | null>>;

/** Conditions and an order that a relation has of its own. */
export interface RelationRules {
  /** Only the rows of the target that have these values; null: that have none. */
  readonly when?: Conditions;
  /** How its rows are sorted where a query does not say. */
  readonly order?: Readonly<Record<string, "asc" | "desc">>;
  /**
   * The columns that the key refers to, where it is not the primary key. Those of a to-one relation
   * must be unique.
   */
  readonly to?: string | readonly string[];
  /**
   * Whether the database has, or is to get, a foreign key for it; true by default: a key that leads nowhere is the
   * error RELATED_MISSING. `"trusted"`: the database is sure to have it, so that nothing has to look; were a row
   * missing all the same, rows that lead to it would be missing as well. `false`: a key may lead nowhere, so that the
   * row of a to-one relation may be missing.
   */
  readonly constraint?: boolean | "trusted";
  /**
   * Whether the rows belong to the entity, and go with it: a unit of work that removes the entity removes them too. Of
   * relations whose key stands in the target.
   */
  readonly owns?: boolean;
  /**
   * Whether the entity's version guards the rows that belong to it: a unit of work that adds, changes or removes one of
   * them raises the version of the entity, so that of two who change one document the second has a `CONFLICT`. Beside
   * `owns`.
   */
  readonly guards?: boolean;
}

/** The foreign key of a relation, in the tables made from the model. */
export interface ForeignKeyRules {
  /** The action where the row that it leads to is deleted; "no action" by default: the deletion is refused. */
  readonly onDelete?: ForeignKeyAction;
  /** The action where the key that it leads to is changed. */
  readonly onUpdate?: ForeignKeyAction;
  /** Whether its key gets an index where none begins with it; true by default. */
  readonly index?: boolean;
}

/** Further options of a to-one relation. */
export interface OneRules extends RelationRules {
  /**
   * The result of a key that leads to no row: null, or the error RELATED_MISSING. With "error" the row is not null in
   * the types, and whichever strategy fetches it looks whether it is there.
   */
  readonly missing?: "null" | "error";
}

/**
 * A relation over a key, as the model says it. `T` is the target's name, `B` the union of the key's
 * columns, `L` whether the row of a to-one relation may be missing although the key is there, `M` whether a
 * fetch refuses that.
 */
export interface Relation<
  K extends Cardinality = Cardinality,
  T extends string = string,
  B extends string = string,
  H extends Holder = Holder,
  L extends boolean = boolean,
  M extends boolean = boolean,
> extends WithStrategy<Relation<K, T, B, H, L, M>> {
  readonly kind: "key";
  readonly cardinality: K;
  readonly target: T;
  readonly by: readonly B[];
  readonly holder: H;
  readonly isLoose: L;
  readonly isRequired: M;
  readonly rules: OneRules & ForeignKeyRules;
}

/** A relation reached through others. `S` are their names. */
export interface Route<S extends readonly string[] = readonly string[]> extends WithStrategy<Route<S>> {
  readonly kind: "route";
  readonly steps: S;
}

/** A many-to-many relation over a link entity. */
export interface Link<T extends string = string, B extends string = string> extends WithStrategy<Link<T, B>> {
  readonly kind: "link";
  readonly target: T;
  /** The name of the link entity. */
  readonly by: B;
  readonly options: LinkOptions<B>;
}

/** Any relation. */
export type AnyRelation = Relation | Route | Link;

/** The key of a relation, in columns of this entity for `toOne`, of the target for `toMany`. */
export interface ByKey<B extends string> extends RelationRules {
  /** The column, or columns in the order of the primary key they refer to, that hold the key. */
  readonly by: B | readonly B[];
}

/** The options of a to-one relation. */
export interface OurKey<B extends string> extends OneRules, ForeignKeyRules {
  /** The column, or columns in the order of the key they refer to, that hold the key. */
  readonly by: B | readonly B[];
}

/** The key of a one-to-one relation where it stands in columns of the target. */
export interface KeyInTarget<B extends string> extends OneRules {
  /** The target's column, or columns, that hold this entity's key. */
  readonly keyInTarget: B | readonly B[];
}

/** How a many-to-many relation goes over its link entity. */
export interface LinkOptions<B extends string> {
  /** The name of the link entity. */
  readonly by: B;
  /** The link entity's relation to this entity; needed only where it has several. */
  readonly from?: string;
  /** The link entity's relation to the target; needed only where it has several. */
  readonly to?: string;
}

/** The columns of a relation's key, of options that were found to have no others than these. */
function keyOf<B extends string>(call: string, name: string, options: object, known: readonly string[]): readonly B[] {
  expectOptions(call, options, [name, ...known]);
  const by = (options as Readonly<Record<string, unknown>> | undefined)?.[name];
  if (typeof by === "string") return [by as B];
  if (Array.isArray(by)) return by;
  const names = { column: `${name} of ${call}`, expected: "a column's name, or a list of such", got: typeWord(by) };
  throw new GemachError("VALUE_UNFIT", names);
}

const rules = [
  "when",
  "order",
  "to",
  "constraint",
  "owns",
  "guards",
] as const satisfies readonly (keyof RelationRules)[];
const ourRules = [
  ...rules,
  "missing",
  "onDelete",
  "onUpdate",
  "index",
] as const satisfies readonly (keyof OurKey<string>)[];

/** A relation that takes a strategy. */
function withStrategy<R extends { readonly strategy: Strategy | undefined }>(
  facts: R,
): R & { how(strategy: Strategy): never } {
  return Object.freeze({ ...facts, how: (strategy: Strategy) => withStrategy({ ...facts, strategy }) as never });
}

/** in: a relation's options; out: whether they say that the row may be missing although the key is there. */
type IsLoose<O> = O extends
  | { readonly constraint: false }
  | { readonly when: object }
  | { readonly missing: "error" }
  | { readonly keyInTarget: unknown }
  ? true
  : false;

/** in: a relation's options; out: whether a row that is missing is an error. */
type IsRequired<O> = O extends { readonly missing: "error" } ? true : false;

/** in: options, and what they may be; out: a type that demands the impossible of names that are none of them. */
type OnlyKnown<O, K extends string> = keyof O extends K
  ? unknown
  : { readonly [P in Exclude<keyof O, K>]: Fault<`there is no option '${P & string}'`> };

/** The names of the options of both forms of `toOne`. */
type OurNames = keyof OurKey<string>;
type TargetNames = keyof KeyInTarget<string>;

/**
 * A relation to the one row whose key stands in columns of this entity (`by`), or to the one row that holds this
 * entity's key (`keyInTarget`). The row may be missing where a column of the key is nullable, where the key stands in
 * the target, where the relation has a condition, and where no constraint backs it; `missing: "error"` has a fetch
 * refuse that.
 */
export function toOne<const T extends string, const B extends string, const O extends OurKey<B> | KeyInTarget<B>>(
  target: T,
  options: O &
    ({ readonly by: B | readonly B[] } | { readonly keyInTarget: B | readonly B[] }) &
    OnlyKnown<O, O extends { readonly keyInTarget: unknown } ? TargetNames : OurNames>,
): Relation<"one", T, B, O extends { readonly keyInTarget: unknown } ? "target" : "source", IsLoose<O>, IsRequired<O>>;
export function toOne(target: string, options: OurKey<string> | KeyInTarget<string>): Relation {
  const isOurs = !Object.hasOwn(Object(options), "keyInTarget");
  const call = `toOne("${target}")`;
  const by = isOurs ? keyOf(call, "by", options, ourRules) : keyOf(call, "keyInTarget", options, [...rules, "missing"]);
  return withStrategy({
    kind: "key" as const,
    cardinality: "one" as const,
    target,
    by,
    holder: isOurs ? ("source" as const) : ("target" as const),
    isLoose: !isOurs || options.constraint === false || options.when !== undefined || options.missing === "error",
    isRequired: options.missing === "error",
    rules: options,
    strategy: undefined,
  });
}

/** A relation to all rows of the target in whose columns this entity's key stands. */
export function toMany<const T extends string, const B extends string>(
  target: T,
  options: ByKey<B>,
): Relation<"many", T, B, "target", false, false> {
  return withStrategy({
    kind: "key" as const,
    cardinality: "many" as const,
    target,
    by: keyOf<B>(`toMany("${target}")`, "by", options, rules),
    holder: "target" as const,
    isLoose: false as const,
    isRequired: false as const,
    rules: options,
    strategy: undefined,
  });
}

/**
 * A many-to-many relation: the rows of the target to which rows of a link entity lead. The link's own
 * columns are reached over a to-many relation to the link entity itself.
 */
export function linked<const T extends string, const B extends string>(target: T, options: LinkOptions<B>): Link<T, B> {
  expectOptions(`linked("${target}")`, options, ["by", "from", "to"]);
  return withStrategy({ kind: "link" as const, target, by: options.by, options, strategy: undefined });
}

/**
 * A relation reached through other relations, any number of them, up, down or mixed: the set of rows
 * at their end, each once. No row on the way is fetched.
 */
export function via<const S extends readonly [string, ...string[]]>(...steps: S): Route<S> {
  return withStrategy({ kind: "route" as const, steps, strategy: undefined });
}
