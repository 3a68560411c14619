import type { ResolvedEntity, ResolvedRelation } from "../ir/index.js";
import {
  LiveBase,
  type LiveKind,
  type LiveObject,
  type LiveShape,
  type LiveState,
  liveStateOf,
  noteAddedColumn,
  type Properties,
  type Snapshot,
} from "../live/index.js";
import { shownOf } from "./shown.js";
import { snapshotOf } from "./snapshots.js";

type Base = new (state: LiveState) => LiveBase;

/** What a relation's property does. */
function accessor(relation: ResolvedRelation, properties: Properties) {
  function read(this: LiveObject): unknown {
    return properties.readRelation(this, liveStateOf(this), relation, read);
  }
  return {
    get: read,
    set(this: LiveObject, value: unknown): void {
      properties.setRelation(this, liveStateOf(this), relation, value);
    },
    configurable: true,
  };
}

/** The class of an entity's rows, or the plain object's. */
function classOf(entity: ResolvedEntity, prototype: object, properties: Properties): Base {
  const made = { [entity.name]: class extends LiveBase {} }[entity.name] as Base;
  const own = made.prototype as object;
  Object.setPrototypeOf(own, prototype);
  if (prototype !== Object.prototype) Reflect.deleteProperty(own, "constructor");
  for (const name of entity.members.keys()) {
    function read(this: LiveObject): unknown {
      return properties.readColumn(this, liveStateOf(this), name, read);
    }
    Object.defineProperty(own, name, {
      get: read,
      // A column that was not fetched, and is written all the same.
      set(this: LiveObject, value: unknown) {
        noteAddedColumn(liveStateOf(this), name);
        defineField(this, name, value);
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
class FieldTarget {
  constructor(live: object) {
    // biome-ignore lint/correctness/noConstructorReturn: the fields of what extends it are the object's own
    return live as FieldTarget;
  }
}

/** What the field of a definer is given. */
let defined: unknown;
const definers = new Map<string, new (live: object) => FieldTarget>();

/**
 * Gives an entity a property of its own, past what its class does when that is set: as the field of a class, which
 * takes half of what `Object.defineProperty` does (V8 of Node 20).
 */
export function defineField(live: object, name: string, value: unknown): void {
  let definer = definers.get(name);
  if (definer === undefined) {
    const field = name as "field";
    definer = class extends FieldTarget {
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
function plainShape(base: Base, names: readonly string[], prints: ReadonlyMap<string, Snapshot>): LiveShape {
  const printed = names.flatMap((name) => {
    const snapshot = prints.get(name);
    return snapshot === undefined ? [] : [[name, snapshot] as const];
  });
  const direct = names.filter((name) => !prints.has(name));
  return {
    names,
    create: (state, row) => {
      const live = new base(state) as object as LiveObject;
      for (const name of names) defineField(live, name, row[name]);
      for (const [name, snapshot] of printed) row[name] = snapshot.of(row[name]);
      return live;
    },
    differs: (live, original) =>
      direct.some((name) => live[name] !== original[name]) ||
      printed.some(([name, snapshot]) => !snapshot.isSame(live[name], original[name])),
  };
}

/**
 * A class of its own whose constructor assigns the columns, so that all entities of a shape are alike to the engine.
 */
function generatedShape(base: Base, names: readonly string[], prints: ReadonlyMap<string, Snapshot>): LiveShape {
  const printed = names.filter((name) => prints.has(name));
  const snapshot = (name: string) => `p[${printed.indexOf(name)}]`;
  const source = `return class extends Base {
${names.map((name) => `[${quoted(name)}];`).join("\n")}
constructor(kept, row) { super(kept);
${names.map((name) => `this[${quoted(name)}] = row[${quoted(name)}];`).join("\n")}
${printed.map((name) => `row[${quoted(name)}] = ${snapshot(name)}.of(row[${quoted(name)}]);`).join("\n")}
} }`;
  const made = new Function("Base", "p", source)(
    base,
    printed.map((name) => prints.get(name)),
  ) as new (
    state: LiveState,
    row: LiveObject,
  ) => LiveObject;
  Reflect.deleteProperty(made.prototype, "constructor");
  const differences = names.map((name) => {
    const [live, original] = [`e[${quoted(name)}]`, `w[${quoted(name)}]`];
    return prints.has(name) ? `!${snapshot(name)}.isSame(${live}, ${original})` : `${live} !== ${original}`;
  });
  const differs = new Function("p", `return (e, w) => ${differences.join(" || ") || "false"};`)(
    printed.map((name) => prints.get(name)),
  ) as (live: LiveObject, original: LiveObject) => boolean;
  return { names, create: (state, row) => new made(state, row), differs };
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
      const snapshot = snapshotOf(member);
      return snapshot === undefined ? [] : [[name, snapshot] as const];
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
    snapshots: prints,
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
