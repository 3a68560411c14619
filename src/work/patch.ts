import { canonicalOf, kinds, platform, type StandardIssue, typeWord, type ValueType } from "../columns/index.js";
import { GemachError, workError } from "../errors/index.js";
import {
  isGiven,
  type ResolvedColumn,
  type ResolvedEntity,
  type ResolvedMember,
  type ResolvedRelation,
  valueAt,
} from "../ir/index.js";
import { type LiveObject, liveStateOf } from "../live/index.js";
import { rowSchema } from "../model/index.js";
import { refuseOthers } from "../plan/index.js";
import { add, remove } from "./add.js";
import { identityOf } from "./identity.js";
import { joinTo, unsettable } from "./relations.js";
import { isDirect, isOurs, type Unit } from "./unit.js";
import { versionOf } from "./version.js";

/** Settings of a patch. */
export interface PatchOptions {
  /** The to-many relations of which rows that the document leaves out are removed, at any depth: "Item.repairs". */
  readonly removes?: readonly string[];
  /**
   * The columns and relations that the document may name: "Item.name", "Item.repairs", "Repair.what". Others are
   * refused; keys and versions may stand as they are. All of the model's where it is left out: then whoever writes the
   * document changes whatever it leads to.
   */
  readonly only?: readonly string[];
}

const isObject = (value: unknown): value is Record<string, unknown> =>
  typeof value === "object" &&
  value !== null &&
  !Array.isArray(value) &&
  !(value instanceof Date) &&
  !(value instanceof Uint8Array);

/** What a document's value means for a column: JSON has no instants, bytes and whole numbers of 64 bits of its own. */
function ofJson(given: unknown, { kind, codec }: ValueType): unknown {
  if (codec !== undefined) return given;
  if (kind === "timestamp" && typeof given === "string") return new Date(given);
  if (kind === "bigint" && (typeof given === "number" || typeof given === "string") && /^-?\d+$/.test(String(given)))
    return BigInt(given);
  if (kind === "bytes" && typeof given === "string") return fromBase64(given);
  return given;
}

function fromBase64(text: string): unknown {
  try {
    return Uint8Array.from(platform.atob(text), (letter) => letter.charCodeAt(0));
  } catch {
    return text;
  }
}

/** A document applied to a value: JSON Merge Patch (RFC 7396). */
function merged(now: unknown, patch: unknown): unknown {
  if (!isObject(patch)) return patch;
  // No assignment: a document may have a property of the name "__proto__".
  const result = new Map(isObject(now) ? Object.entries(now) : []);
  for (const [name, value] of Object.entries(patch))
    if (value === null) result.delete(name);
    else result.set(name, merged(result.get(name), value));
  return Object.fromEntries(result);
}

/** What a document makes of a member of a row. */
function patched(member: ResolvedMember, now: unknown, given: unknown): unknown {
  if (!("fields" in member)) {
    if (member.kind === "json" && isObject(given)) return merged(now, given);
    return ofJson(given, member.type);
  }
  if (!isObject(given)) return given;
  const result = new Map(isObject(now) ? Object.entries(now) : []);
  for (const [name, value] of Object.entries(given)) {
    const field = member.fields.get(name);
    result.set(name, field === undefined ? value : patched(field, result.get(name), value));
  }
  return Object.fromEntries(result);
}

/** What is to be done once the whole document was found to be right. */
interface Findings {
  readonly issues: StandardIssue[];
  /** Makes new rows, which is done first. */
  readonly making: (() => void)[];
  readonly actions: (() => void)[];
}

type At = readonly (string | number)[];

/** Whether the database handle says what a column holds. */
const isHeld = ({ standing }: ResolvedEntity, column: ResolvedColumn): boolean =>
  standing.some(({ column: held, value }) => held === column && isGiven(value));

/**
 * Columns that a document may name, and must name as they are: the key, what the owner or the handle gives, what the
 * database works out.
 */
function refuseOther(live: LiveObject, column: ResolvedColumn, given: unknown, at: At, { issues }: Findings): void {
  const now = Object.hasOwn(live, column.steps[0] as string) ? valueAt(live, column.steps) : undefined;
  const [mine, theirs] = [canonicalOf(now, column.type), canonicalOf(ofJson(given, column.type), column.type)];
  if (mine === undefined || mine !== theirs)
    issues.push({ message: "is another one than the row's own", path: [...at, column.property] });
}

class Patching {
  readonly #unit: Unit;
  readonly #removes: ReadonlySet<string>;
  readonly #only: ReadonlySet<string> | undefined;
  readonly found: Findings = { issues: [], making: [], actions: [] };

  constructor(unit: Unit, { removes = [], only }: PatchOptions) {
    this.#unit = unit;
    this.#removes = new Set(removes);
    this.#only = only === undefined ? undefined : new Set(only);
  }

  /** Whether the document may name something of an entity. */
  #isOpen({ name: entity }: ResolvedEntity, name: string): boolean {
    return this.#only?.has(`${entity}.${name}`) ?? true;
  }

  #refuse(message: string, path: At): void {
    this.found.issues.push({ message, path });
  }

  /** Checks a document for an entity, and notes what it does. */
  async entity(live: LiveObject, document: unknown, at: At): Promise<void> {
    if (!isObject(document)) return this.#refuse(`takes an object, but got ${typeWord(document)}`, at);
    const { entity } = liveStateOf(live).kind;
    const version = versionOf(entity);
    const changes: Record<string, unknown> = {};
    for (const [name, given] of Object.entries(document)) {
      const [member, relation] = [entity.members.get(name), entity.relations.get(name)];
      const isFixed = member !== undefined && !("fields" in member) && (member.isKey || member === version);
      if (member === undefined && relation === undefined) this.#refuse("there is no such column", [...at, name]);
      else if (!isFixed && !this.#isOpen(entity, name)) this.#refuse("is not to be changed here", [...at, name]);
      else if (relation !== undefined) await this.#relation(live, relation, given, [...at, name]);
      else if (member === undefined) continue;
      else if (!("fields" in member) && (member.isKey || member.isComputed || isHeld(entity, member)))
        refuseOther(live, member, given, at, this.found);
      else if (member === version) this.#version(live, version, given);
      else changes[name] = patched(member, await live[name], given);
    }
    await this.#columns(entity, live, changes, at);
  }

  #version(live: LiveObject, version: ResolvedColumn, given: unknown): void {
    const [mine, theirs] = [live[version.property], ofJson(given, version.type)];
    if (canonicalOf(mine, version.type) === canonicalOf(theirs, version.type)) return;
    const { entity } = liveStateOf(live).kind;
    const isShown = entity.key.every(({ kind }) => kinds[kind].isShown);
    throw new GemachError("CONFLICT", {
      entity: entity.name,
      key: isShown ? entity.key.map(({ property }) => `${property} ${String(live[property])}`).join(", ") : undefined,
      versions: `the document is of ${version.property} ${String(given)}, and the row has ${String(mine)}`,
    });
  }

  async #columns(entity: ResolvedEntity, live: LiveObject, changes: Record<string, unknown>, at: At): Promise<void> {
    if (Object.keys(changes).length === 0) return;
    if (entity.isReadOnly) return this.#refuse("is only read", at);
    const now = [...entity.members].flatMap(([name, member]) => {
      const isOwn = Object.hasOwn(live, name) && live[name] !== undefined;
      return isOwn && ("fields" in member || !(member.isComputed || member.kind === "identity"))
        ? [[name, live[name]]]
        : [];
    });
    const row = { ...Object.fromEntries(now), ...changes };
    const result = await rowSchema(entity, true)["~standard"].validate(row);
    for (const { message, path = [] } of result.issues ?? []) {
      const first = path[0] as string | undefined;
      // What was wrong before is not this document's fault; a rule is of the whole row.
      if (first === undefined || first in changes) this.#refuse(message, [...at, ...(path as At)]);
    }
    this.found.actions.push(() => Object.assign(live, changes));
  }

  async #relation(live: LiveObject, relation: ResolvedRelation, given: unknown, at: At): Promise<void> {
    if (!isDirect(relation)) return this.#refuse("goes over other relations, so that it cannot be patched", at);
    const now = await live[relation.name];
    if (relation.cardinality === "many") {
      if (!Array.isArray(given)) return this.#refuse("takes a list", at);
      return await this.#children(live, relation, now as LiveObject[], given, at);
    }
    await this.#one(live, relation, now as LiveObject | null, given, at);
  }

  async #one(
    live: LiveObject,
    relation: ResolvedRelation,
    now: LiveObject | null,
    given: unknown,
    at: At,
  ): Promise<void> {
    if (given === null) {
      if (now === null) return;
      const reason = unsettable(relation, true);
      if (reason !== undefined) return this.#refuse(`may not be null: ${reason}`, at);
      this.found.actions.push(() => {
        live[relation.name] = null;
      });
      return;
    }
    if (now !== null) return await this.entity(now, given, at);
    await this.#added(live, relation, given, at);
  }

  async #children(
    live: LiveObject,
    relation: ResolvedRelation,
    now: readonly LiveObject[],
    given: readonly unknown[],
    at: At,
  ): Promise<void> {
    const { target } = relation;
    const byKey = new Map(now.map((child) => [identityOf(target, child), child]));
    const named = new Set<LiveObject>();
    for (const [i, document] of given.entries()) {
      const path = [...at, i];
      const key = isObject(document) ? this.#keyIn(live, relation, document) : undefined;
      const child = key === undefined ? undefined : byKey.get(key);
      if (child !== undefined) {
        if (named.has(child)) this.#refuse("is there twice", path);
        named.add(child);
        await this.entity(child, document, path);
      } else if (key !== undefined && target.key.some(({ kind }) => kind === "identity"))
        this.#refuse(`is none of the ${relation.name}: its key leads to no row of them`, path);
      else await this.#added(live, relation, document, path);
    }
    if (!this.#removes.has(`${relation.source.name}.${relation.name}`)) return;
    for (const child of now) if (!named.has(child)) this.found.actions.push(() => remove(this.#unit, child));
  }

  /** The identity of the row that a document of a child names; undefined where it is a new one. */
  #keyIn(
    live: LiveObject,
    { target, steps: [{ pairs }] }: ResolvedRelation,
    document: Record<string, unknown>,
  ): unknown {
    const row: LiveObject = {};
    for (const column of target.key) {
      const pair = pairs.find(({ to }) => to === column);
      const given = document[column.property];
      const value =
        given === undefined && pair !== undefined ? valueAt(live, pair.from.steps) : ofJson(given, column.type);
      if (value === undefined || value === null) return undefined;
      row[column.property] = value;
    }
    return identityOf(target, row);
  }

  /** Refuses a new row that is to be another handle's. */
  #refuseOthers(target: ResolvedEntity, columns: Record<string, unknown>, at: At): void {
    try {
      refuseOthers(target, columns, this.#unit.context.values, "patch");
    } catch (error) {
      if (!(error instanceof GemachError && error.code === "STANDING_BROKEN")) throw error;
      this.#refuse("is to be another handle's", at);
    }
  }

  /** A new row of a relation. */
  async #added(live: LiveObject, relation: ResolvedRelation, document: unknown, at: At): Promise<void> {
    const reason = unsettable(relation, false);
    if (reason !== undefined) return this.#refuse(reason, at);
    const make = await this.#newRow(relation, document, at);
    if (make !== undefined) this.found.making.push(() => tie(live, relation, make()));
  }

  /**
   * What makes a new entity of a document, with what is new below it; what leads to the row that it belongs to comes of
   * itself.
   */
  async #newRow(relation: ResolvedRelation, document: unknown, at: At): Promise<(() => LiveObject) | undefined> {
    const { target } = relation;
    if (!isObject(document)) {
      this.#refuse(`takes an object, but got ${typeWord(document)}`, at);
      return undefined;
    }
    const columns: Record<string, unknown> = {};
    const below: (readonly [ResolvedRelation, () => LiveObject])[] = [];
    const given = new Set(isOurs(relation) ? [] : relation.steps[0].pairs.map(({ to }) => to.property));
    for (const name of given)
      if (name in document) this.#refuse("is given by the row that it belongs to", [...at, name]);
    for (const [name, value] of Object.entries(document)) {
      const [member, others] = [target.members.get(name), target.relations.get(name)];
      const isKey = member !== undefined && !("fields" in member) && member.isKey;
      if ((member ?? others) !== undefined && !isKey && !this.#isOpen(target, name))
        this.#refuse("is not to be changed here", [...at, name]);
      else if (member !== undefined) columns[name] = patched(member, undefined, value);
      else if (others === undefined) this.#refuse("there is no such column", [...at, name]);
      else if (!isDirect(others)) this.#refuse("goes over other relations", [...at, name]);
      else if (value !== null) {
        if (isOurs(others)) for (const { from } of others.steps[0].pairs) given.add(from.property);
        for (const [i, one] of (Array.isArray(value) ? value : [value]).entries()) {
          const made = await this.#newRow(others, one, [...at, name, ...(Array.isArray(value) ? [i] : [])]);
          if (made !== undefined) below.push([others, made]);
        }
      }
    }
    if (target.isReadOnly) this.#refuse("is only read", at);
    this.#refuseOthers(target, columns, at);
    const result = await rowSchema(target, false)["~standard"].validate(columns);
    for (const { message, path = [] } of result.issues ?? [])
      if (!given.has(String(path[0]))) this.#refuse(message, [...at, ...(path as At)]);
    return () => {
      const live = add(this.#unit, target, columns);
      for (const [others, make] of below) tie(live, others, make());
      return live;
    };
  }
}

/** Makes a row one of a relation's. */
function tie(live: LiveObject, relation: ResolvedRelation, child: LiveObject): void {
  if (isOurs(relation)) live[relation.name] = child;
  else joinTo(live, relation, child);
}

/**
 * Applies a nested partial document to an entity: nothing of it where anything is wrong.
 * @throws GemachError `PATCH_REFUSED` with all that is wrong, `CONFLICT` where it is of another version
 */
export async function patch(unit: Unit, live: LiveObject, document: unknown, options: PatchOptions): Promise<void> {
  const patching = new Patching(unit, options);
  await patching.entity(live, document, []);
  const { issues, making, actions } = patching.found;
  if (issues.length > 0) throw workError("PATCH_REFUSED", { entity: liveStateOf(live).kind.entity.name, issues });
  const before = new Set(unit.added);
  try {
    for (const make of making) make();
  } catch (error) {
    // What makes a new row's value is code of the model's own, which may throw: then no new row is there.
    for (const added of unit.added) if (!before.has(added)) remove(unit, added);
    throw error;
  }
  for (const action of actions) action();
}
