import fc from "fast-check";
import { bigint, boolean, date, entity, integer, linked, model, numeric, text, toMany, toOne, uuid, value, varchar, via } from "../../src/index.js";
import { compareIn, type Row, type Way, type World } from "./worlds.js";

// biome-ignore lint/suspicious/noExplicitAny: random models are put together without types
type Untyped = any;

/** Kinds of key columns, each with a few values, some of which a database may take for equal. */
const keyKinds = {
  integer: { rule: "ordered", column: () => integer, values: [1, 11, 3, 4], others: [] },
  bigint: { rule: "ordered", column: () => bigint, values: [-1n, 2n ** 53n + 1n, 2n ** 53n + 2n, 7n], others: [] },
  text: {
    rule: "ordered",
    column: () => varchar(9), // Texts that a key made by putting texts together would mix up with others among them.
    values: ["a", "A", "a ", "é", "😀", "1:2", ":2", '"a",{b}'],
    others: [],
  },
  folded: {
    rule: "folded",
    column: () => varchar(9).collated({ sqlite: "nocase", mariadb: "utf8mb4_general_nopad_ci" }),
    values: ["a", "b", "c c"],
    others: ["A", "B", "C c"],
  },
  numeric: { rule: "digits", column: () => numeric(9, 2), values: ["1.50", "-2.00", "10.25"], others: [] },
  date: { rule: "ordered", column: () => date, values: ["0001-01-01", "2026-02-28", "9999-12-31"], others: [] },
  uuid: { rule: "ordered", column: () => uuid, values: [1, 2, 3].map((n) => `0189c3a0-0000-7000-8000-00000000000${n}`), others: [] },
  boolean: { rule: "boolean", column: () => boolean, values: [true, false], others: [] },
} as const satisfies Record<string, { rule: string; column: () => unknown; values: readonly unknown[]; others: readonly unknown[] }>;
type KeyKind = keyof typeof keyKinds;

/** Names that mean something to a database or to the library. */
const columnNames = ["owner_1", "position", "key_1", "order", "value", "select", "a b", 'q"t', "target_1", "ünï", "a.b", "c".repeat(63)];
const tableNames = ["owner", "group", "found", "link", "listed", "some", "Ünï cöde", "T", "reached", "t".repeat(61)];

interface EntitySpec {
  readonly name: string;
  readonly key: readonly KeyKind[];
  readonly extra: string;
  /** Whether its rows are instances of a class. */
  readonly isClass: boolean;
  /** Whether the two columns that are no keys are a value object. */
  readonly isNested: boolean;
  /** Whether a standing condition hides some of its rows, by a value of the model's or of the handle's. */
  readonly hides: "no" | "is" | "given";
  /** Keys to other entities. */
  readonly ups: readonly {
    readonly to: number;
    readonly isNullable: boolean;
    readonly isLoose: boolean;
    readonly isOnly: boolean;
    /** Whether the database is taken at its word that every key leads to a row, where they do. */
    readonly isTrusted: boolean;
    /** Whether its decimals have another scale than those of the key that they lead to. */
    readonly isWide: boolean;
    /** Whether some keys lead nowhere. */
    readonly isBroken: boolean;
  }[];
  readonly rows: readonly (readonly number[])[];
}

/** How an engine compares keys. */
export interface Comparing {
  /** With collations that do not tell letters of either case apart. */
  readonly isFolding: boolean;
  /** Decimals by their value, whatever their scale. */
  readonly isScaled: boolean;
}

const numbers = fc.array(fc.nat({ max: 99 }), { minLength: 12, maxLength: 12 });
const entitySpecs = ({ isFolding, isScaled }: Comparing) => {
  const kinds = (Object.keys(keyKinds) as KeyKind[]).filter((kind) => isFolding || kind !== "folded");
  return fc.array(
    fc.record({
      name: fc.constantFrom(...tableNames),
      key: fc.array(fc.constantFrom(...kinds), { minLength: 1, maxLength: 2 }),
      extra: fc.constantFrom(...columnNames),
      isClass: fc.boolean(),
      isNested: fc.boolean(),
      hides: fc.constantFrom("no", "no", "is", "given"),
      ups: fc.array(
        fc.record({
          to: fc.nat({ max: 9 }),
          isNullable: fc.boolean(),
          isLoose: fc.boolean(),
          isOnly: fc.boolean(),
          isTrusted: fc.boolean(),
          isWide: isScaled ? fc.boolean() : fc.constant(false),
          isBroken: fc.nat({ max: 5 }).map((one) => one === 0),
        }),
        {
          maxLength: 2,
        },
      ),
      rows: fc.array(numbers, { maxLength: 6 }),
    }) satisfies fc.Arbitrary<EntitySpec>,
    { minLength: 2, maxLength: 9 },
  );
};

const nameOf = (index: number) => `E${index}`;

/** A world of the rows that are visible, its tables as others made them, without constraints, and all rows that they hold. */
export type RandomWorld = World & { readonly tables: object; readonly stored: World["rows"] };

/** What a handle gives for the standing conditions of random worlds. */
export const handleValues = { shown: 0 };

/** The world that a specification means: its model, its rows, and what they are to an evaluation. */
function worldFor(specs: readonly EntitySpec[], routes: readonly (readonly number[])[]): RandomWorld {
  const entities: Record<string, { columns: Record<string, Untyped>; key: string[]; relations: Record<string, Way>; inside?: object }> = {};
  const definitions: Record<string, { table: string; columns: Record<string, Untyped>; relations: Record<string, Untyped>; indexes: object[] }> = {};
  const rows: Record<string, Row[]> = {};
  const samples: Record<string, unknown> = {};
  const world = {
    entities,
    rows,
    sampleOf: (name: string, column: string) => samples[`${name}.${column}`] ?? (column === "n" || column === "hid" ? 0 : "t1"),
  } as unknown as World;
  const keysOf = (index: number) => (specs[index] as EntitySpec).key.map((kind, i) => [`k${i}`, kind] as const);
  specs.forEach((spec, index) => {
    const name = nameOf(index);
    const keys = keysOf(index);
    entities[name] = {
      columns: {
        ...Object.fromEntries(keys.map(([key, kind]) => [key, keyKinds[kind].rule])),
        n: "ordered",
        [spec.extra]: "ordered?",
        ...(spec.hides === "no" ? {} : { hid: "ordered" }),
      },
      key: keys.map(([key]) => key),
      relations: {},
      ...(spec.isNested ? { inside: { v: ["n", spec.extra] } } : {}),
    };
    definitions[name] = {
      table: `${spec.name}${index}`,
      columns: {
        ...Object.fromEntries(keys.map(([key, kind]) => [key, (keyKinds[kind].column() as Untyped).key])),
        n: integer,
        [spec.extra]: text.nullable,
        ...(spec.hides === "no" ? {} : { hid: integer }),
      },
      relations: {},
      indexes: [],
    };
    rows[name] = [];
    for (const [key, kind] of keys) samples[`${name}.${key}`] = keyKinds[kind].values[0];
  });
  // Keys first, so that others can lead to them.
  specs.forEach((spec, index) => {
    const name = nameOf(index);
    for (const choices of spec.rows) {
      const row: Row = Object.fromEntries([
        ...keysOf(index).map(([key, kind], i) => [key, keyKinds[kind].values[(choices[i] as number) % keyKinds[kind].values.length]]),
        ["n", (choices[2] as number) % 4],
        [spec.extra, (choices[3] as number) % 3 === 0 ? null : `t${(choices[3] as number) % 3}`],
        ...(spec.hides === "no" ? [] : [["hid", (choices[6] as number) % 3 === 0 ? 1 : 0]]),
      ]);
      const isThere = (rows[name] as Row[]).some((other) => keysOf(index).every(([key]) => compareIn(world, name, key, other[key], row[key]) === 0));
      if (!isThere) (rows[name] as Row[]).push(row);
    }
  });
  specs.forEach((spec, index) => {
    const name = nameOf(index);
    spec.ups.forEach(({ to, isNullable: mayBeNull, isLoose, isOnly, isTrusted, isWide, isBroken }, at) => {
      const target = to % specs.length;
      const keys = keysOf(target);
      const columns = keys.map((_, i) => `f${at}_${i}`);
      const candidates = rows[nameOf(target)] as Row[];
      const isNullable = mayBeNull || isOnly || candidates.length === 0;
      const own = definitions[name] as (typeof definitions)[string];
      const facts = entities[name] as (typeof entities)[string];
      const widened = (value: unknown, i: number) => (isWide && value !== null && keys[i]?.[1] === "numeric" ? `${value}00` : value);
      keys.forEach(([, kind], i) => {
        const { rule } = keyKinds[kind];
        const column = () => (isWide && kind === "numeric" ? numeric(12, 4) : keyKinds[kind].column());
        samples[`${name}.${columns[i]}`] = widened(keyKinds[kind].values[0], i);
        facts.columns[columns[i] as string] = isNullable ? `${rule}?` : rule;
        own.columns[columns[i] as string] = isNullable ? (column() as Untyped).nullable : column();
      });
      const used = new Set<Row>();
      rows[name] = (rows[name] as Row[]).map((row, number): Row => {
        const choices = spec.rows[number % spec.rows.length] as readonly number[];
        const choice = choices[4 + at] as number;
        const set = (values: readonly unknown[]) => ({ ...row, ...Object.fromEntries(columns.map((column, i) => [column, widened(values[i], i)])) });
        const nothing = keys.map(() => null);
        // A key of which a part is missing leads nowhere either.
        const partly = keys.map(([, kind], i) => (i === choice % keys.length ? null : keyKinds[kind].values[0]));
        if (isNullable && choice % 4 === 0) return set(choice % 8 === 0 ? partly : nothing);
        const aim = candidates[choice % Math.max(1, candidates.length)];
        const dangles = !isOnly && (isLoose || isBroken) && choice % 5 === 0;
        if (aim !== undefined && !dangles && !(isOnly && used.has(aim))) {
          used.add(aim);
          const alike = (value: unknown, i: number) => {
            const { values, others } = keyKinds[(keys[i] as readonly [string, KeyKind])[1]] as { values: readonly unknown[]; others: readonly unknown[] };
            return choice % 2 === 0 ? value : (others[values.indexOf(value)] ?? value);
          };
          return set(keys.map(([key], i) => alike(aim[key], i)));
        }
        if (isNullable && !dangles) return set(nothing);
        // A key that may lead nowhere.
        return set(keys.map(([, kind]) => keyKinds[kind].values[choice % keyKinds[kind].values.length]));
      });
      const constraint = isLoose ? false : isTrusted && !isBroken ? "trusted" : true;
      if (isOnly) own.indexes.push({ on: columns, unique: true });
      const up = `up${at}`;
      const down = `down${index}_${at}`;
      own.relations[up] = toOne(nameOf(target), { by: columns, constraint } as Untyped);
      const back = { by: columns, constraint };
      (definitions[nameOf(target)] as Untyped).relations[down] = isOnly
        ? toOne(name, { keyInTarget: columns, constraint } as Untyped)
        : toMany(name, back as Untyped);
      facts.relations[up] = {
        to: nameOf(target),
        here: columns,
        there: keys.map(([key]) => key),
        isOne: true,
        isStrict: !isLoose && specs[target]?.hides === "no",
        atHand:
          isLoose || specs[target]?.hides !== "no" || (keys.length > 1 && isNullable)
            ? []
            : keys.flatMap(([key, kind]) => (["integer", "bigint", "date"].includes(kind) ? [key] : [])),
      };
      (entities[nameOf(target)] as (typeof entities)[string]).relations[down] = { to: name, here: keys.map(([key]) => key), there: columns, isOne: isOnly };
    });
  });
  specs.forEach(({ ups }, index) => {
    const name = nameOf(index);
    const own = definitions[name] as (typeof definitions)[string];
    ups.forEach(({ to, isOnly }, at) => {
      if (isOnly) return;
      const down = `down${index}_${at}`;
      const target = nameOf(to % specs.length);
      const facts = entities[target] as (typeof entities)[string];
      const relations = (definitions[target] as Untyped).relations;
      // Some of the rows, in an order of their own.
      const all = facts.relations[down] as Extract<Way, { to: string }>;
      facts.relations[`some${index}_${at}`] = {
        ...all,
        when: (row) => row.n === 1,
        order: [{ column: "n", descending: false }, ...keysOf(index).map(([column]) => ({ column, descending: true }))],
      };
      const inner = specs[index]?.isNested === true ? "v.n" : "n";
      const by = Object.keys(own.columns).filter((column) => column.startsWith(`f${at}_`));
      relations[`some${index}_${at}`] = toMany(name, {
        by,
        constraint: false,
        when: { [inner]: 1 },
        order: Object.fromEntries([[inner, "asc"], ...keysOf(index).map(([column]) => [column, "desc"])]),
      } as Untyped);
      // The rows of an entity with two keys link those that they lead to.
      if (ups.length < 2) return;
      const other = 1 - at;
      facts.relations[`link${index}_${at}`] = { through: [down, `up${other}`] };
      relations[`link${index}_${at}`] = linked(nameOf((ups[other] as (typeof ups)[number]).to % specs.length), {
        by: name,
        from: `up${at}`,
        to: `up${other}`,
      } as Untyped);
    });
  });
  // Ways over several relations.
  routes.forEach((choices, number) => {
    const start = nameOf((choices[0] as number) % specs.length);
    let at = start;
    const through: string[] = [];
    for (const choice of choices.slice(1)) {
      const names = Object.keys((entities[at] as (typeof entities)[string]).relations).filter((name) => /^(up|down)/.test(name));
      const step = names[choice % Math.max(1, names.length)];
      if (step === undefined) return;
      through.push(step);
      at = ((entities[at] as (typeof entities)[string]).relations[step] as Extract<Way, { to: string }>).to;
    }
    (entities[start] as (typeof entities)[string]).relations[`via${number}`] = { through };
    (definitions[start] as Untyped).relations[`via${number}`] = (via as Untyped)(...through);
  });
  /** The same columns, those that are no keys in a value object. */
  const nested = ({ isNested, extra }: EntitySpec, columns: Record<string, Untyped>) => {
    if (!isNested) return columns;
    const { n, [extra]: other, ...rest } = columns;
    const keys = Object.fromEntries(Object.entries(rest).filter(([name]) => name.startsWith("k")));
    const others = Object.fromEntries(Object.entries(rest).filter(([name]) => !name.startsWith("k")));
    return { ...keys, v: value({ n: n.named("n"), [extra]: other.named(extra) }), ...others };
  };
  const stored = Object.fromEntries(Object.entries(rows).map(([name, all]) => [name, [...all]]));
  for (const [name, all] of Object.entries(rows)) rows[name] = all.filter(({ hid }) => hid !== 1);
  const standing = { is: { column: "hid", is: 0 }, given: { column: "hid", given: "shown" } };
  const optionsOf = ({ hides, isClass }: EntitySpec) => ({
    ...(isClass ? { as: class Instance {} } : {}),
    ...(hides === "no" ? {} : { standing: { visible: standing[hides] } }),
  });
  const made = (hasRelations: boolean) =>
    model(
      Object.fromEntries(
        Object.entries(definitions).map(([name, { table, columns, relations, indexes }]) => [
          name,
          hasRelations
            ? entity(table, nested(specs[Number(name.slice(1))] as EntitySpec, columns), relations, {
                indexes: indexes as Untyped,
                ...optionsOf(specs[Number(name.slice(1))] as EntitySpec),
              } as Untyped)
            : entity(table, columns),
        ]),
      ) as Untyped,
    );
  // Models are long to print.
  return Object.defineProperties(world, { model: { value: made(true) }, tables: { value: made(false) }, stored: { value: stored } }) as RandomWorld;
}

/** Models of several entities with rows. */
export const worlds = (comparing: Comparing): fc.Arbitrary<RandomWorld> =>
  fc
    .record({ specs: entitySpecs(comparing), routes: fc.array(fc.array(fc.nat({ max: 9 }), { minLength: 3, maxLength: 4 }), { maxLength: 2 }) })
    .map(({ specs, routes }) => worldFor(specs, routes));
