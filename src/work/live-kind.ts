import type { ResolvedEntity, ResolvedRelation } from "../ir/index.js";
import {
  type Kept,
  keptOf,
  type LiveKind,
  type LiveObject,
  type LiveShape,
  noteFurther,
  type Print,
  type Properties,
  Stamped,
} from "../live/index.js";
import { printOf } from "./prints.js";
import { shownOf } from "./shown.js";

type Base = new (kept: Kept) => Stamped;

/** What a relation's property does. */
function accessor(relation: ResolvedRelation, properties: Properties) {
  function read(this: LiveObject): unknown {
    return properties.readRelation(this, keptOf(this), relation, read);
  }
  return {
    get: read,
    set(this: LiveObject, value: unknown): void {
      properties.setRelation(this, keptOf(this), relation, value);
    },
    configurable: true,
  };
}

/** The class of an entity's rows, or the plain object's. */
function classOf(entity: ResolvedEntity, prototype: object, properties: Properties): Base {
  const made = { [entity.name]: class extends Stamped {} }[entity.name] as Base;
  const own = made.prototype as object;
  Object.setPrototypeOf(own, prototype);
  if (prototype !== Object.prototype) Reflect.deleteProperty(own, "constructor");
  for (const name of entity.members.keys()) {
    function read(this: LiveObject): unknown {
      return properties.readColumn(this, keptOf(this), name, read);
    }
    Object.defineProperty(own, name, {
      get: read,
      // A column that was not fetched, and is written all the same.
      set(this: LiveObject, value: unknown) {
        noteFurther(keptOf(this), name);
        put(this, name, value);
      },
      configurable: true,
    });
  }
  for (const [name, relation] of entity.relations) Object.defineProperty(own, name, accessor(relation, properties));
  const hidden = (value: unknown) => ({ value, writable: true, configurable: true });
  if (!("toJSON" in prototype))
    Object.defineProperty(
      own,
      "toJSON",
      hidden(function (this: LiveObject) {
        return shownOf(this, Object.prototype);
      }),
    );
  const shownAs =
    prototype === Object.prototype
      ? ({ [entity.name]: class {} }[entity.name] as { readonly prototype: object }).prototype
      : prototype;
  const inspected = Symbol.for("nodejs.util.inspect.custom");
  if (!(inspected in prototype))
    Object.defineProperty(
      own,
      inspected,
      hidden(function (
        this: LiveObject,
        _depth: number,
        options: object,
        inspect: (value: unknown, options: object) => string,
      ) {
        return inspect(shownOf(this, shownAs), options);
      }),
    );
  return made;
}

/** Makes nothing, but hands on what its fields are defined on. */
class Handed {
  constructor(live: object) {
    // biome-ignore lint/correctness/noConstructorReturn: the fields of what extends it are the object's own
    return live as Handed;
  }
}

/** What the field of a definer is given. */
let defined: unknown;
const definers = new Map<string, new (live: object) => Handed>();

/**
 * Gives an entity a property of its own, past what its class does when that is set: as the field of a class, which
 * takes half of what `Object.defineProperty` does (V8 of Node 20).
 */
export function put(live: object, name: string, value: unknown): void {
  let definer = definers.get(name);
  if (definer === undefined) {
    const field = name as "field";
    definer = class extends Handed {
      readonly [field] = defined;
    };
    definers.set(name, definer);
  }
  defined = value;
  new definer(live);
  defined = undefined;
}

const quoted = (name: string): string => JSON.stringify(name);

/** Makes live entities without generating code. */
function plainShape(base: Base, names: readonly string[], prints: ReadonlyMap<string, Print>): LiveShape {
  const printed = names.flatMap((name) => {
    const print = prints.get(name);
    return print === undefined ? [] : [[name, print] as const];
  });
  const direct = names.filter((name) => !prints.has(name));
  return {
    names,
    create: (kept, row) => {
      const live = new base(kept) as unknown as LiveObject;
      for (const name of names) put(live, name, row[name]);
      for (const [name, print] of printed) row[name] = print.of(row[name]);
      return live;
    },
    differs: (live, was) =>
      direct.some((name) => live[name] !== was[name]) ||
      printed.some(([name, print]) => !print.isSame(live[name], was[name])),
  };
}

/**
 * A class of its own whose constructor assigns the columns, so that all entities of a shape are alike to the engine.
 */
function generatedShape(base: Base, names: readonly string[], prints: ReadonlyMap<string, Print>): LiveShape {
  const printed = names.filter((name) => prints.has(name));
  const print = (name: string) => `p[${printed.indexOf(name)}]`;
  const source = `return class extends Base {
${names.map((name) => `[${quoted(name)}];`).join("\n")}
constructor(kept, row) { super(kept);
${names.map((name) => `this[${quoted(name)}] = row[${quoted(name)}];`).join("\n")}
${printed.map((name) => `row[${quoted(name)}] = ${print(name)}.of(row[${quoted(name)}]);`).join("\n")}
} }`;
  const made = new Function("Base", "p", source)(
    base,
    printed.map((name) => prints.get(name)),
  ) as new (
    kept: Kept,
    row: LiveObject,
  ) => LiveObject;
  Reflect.deleteProperty(made.prototype, "constructor");
  const differences = names.map((name) => {
    const [live, was] = [`e[${quoted(name)}]`, `w[${quoted(name)}]`];
    return prints.has(name) ? `!${print(name)}.isSame(${live}, ${was})` : `${live} !== ${was}`;
  });
  const differs = new Function("p", `return (e, w) => ${differences.join(" || ") || "false"};`)(
    printed.map((name) => prints.get(name)),
  ) as (live: LiveObject, was: LiveObject) => boolean;
  return { names, create: (kept, row) => new made(kept, row), differs };
}

/** What live entities of an entity are; `sample`: a plain row, for the class that rows are instances of. */
export function liveKind(
  entity: ResolvedEntity,
  properties: Properties,
  generateCode: boolean,
  sample: LiveObject,
): LiveKind {
  const prototype = entity.make === undefined ? Object.prototype : Object.getPrototypeOf(entity.make({ ...sample }));
  const base = classOf(entity, prototype as object, properties);
  const prints = new Map(
    [...entity.members].flatMap(([name, member]) => {
      const print = printOf(member);
      return print === undefined ? [] : [[name, print] as const];
    }),
  );
  const shapes = new Map<string, LiveShape>();
  let last: LiveShape | undefined;
  const shown = new Map(
    [...entity.relations].map(([name, relation]) => [name, { ...accessor(relation, properties), enumerable: true }]),
  );
  return {
    entity,
    properties,
    prints,
    shapeFor: (names) => {
      // Entities of one shape come one after the other.
      if (last !== undefined && last.names.length === names.length && last.names.every((name, i) => name === names[i]))
        return last;
      const text = names.join("\u0000");
      let shape = shapes.get(text);
      if (shape === undefined) {
        shape = (generateCode ? generatedShape : plainShape)(base, names, prints);
        shapes.set(text, shape);
      }
      last = shape;
      return shape;
    },
    show: (live, { name }) => Object.defineProperty(live, name, shown.get(name) as PropertyDescriptor),
  };
}
