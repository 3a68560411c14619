import { expect } from "vitest";
import { from, integer, sql, type UnitOfWork } from "../../src/index.js";
import {
  type Any,
  aisles,
  archive,
  copyOf,
  every,
  far,
  houses,
  isSeen,
  type Kind,
  kinds,
  many,
  type Row,
  single,
  told,
  uuidOf,
  type World,
} from "./archive.js";
import { Code } from "./coded.js";

/** What is done to the database, and to the evaluator's world beside it. */
export type Step = readonly [kind: number, a: number, b: number, c: number];
export const stepKinds = 30;

/** Thrown by works that are to end so. */
export const undone = new Error("undone");
export const hookRefusal = new Error("no item of this name");

const codeOf = (error: unknown): unknown => (error as { code?: unknown } | null)?.code;
/** What a work that has failed answers to whatever comes after. */
const afterFailure = new Set<unknown>(["WORK_FAILED", "TRANSACTION_FAILED"]);
/** Errors after which a work is done again. */
export const isPassing = (error: unknown): boolean => ["CONFLICT", "DEADLOCK", "SERIALIZATION_FAILED"].includes(codeOf(error) as string);

/** How the database is reached, and what else is going on in it. */
export interface Setting {
  readonly house: number;
  /** Numbers that no other play has: names and keys are made of them. */
  readonly count: number;
  readonly engine: string;
  /** Another work is going on: rows that are everybody's stay as they are. */
  readonly isBeside: boolean;
  /** In how many works of its own kind it is. */
  readonly depth: number;
}

/** One unit of work, done step by step. */
export class Play {
  world: World;
  readonly w: UnitOfWork;
  readonly house: number;
  readonly setting: Setting;
  /** By how much each of the tallies was raised. */
  readonly raised: [number, number] = [0, 0];
  /** An error was caught after which nothing of the work is written. */
  hasFailed = false;
  /** The transaction around all works is gone. */
  isLost = false;
  /** A work inside has changed rows that this one has read. */
  isOver = false;
  readonly #unwritten = new Set<Row>();
  #count: number;

  constructor(world: World, w: UnitOfWork, setting: Setting) {
    [this.world, this.w, this.setting, this.house, this.#count] = [world, w, setting, setting.house, setting.count];
  }

  /** Does the steps, and writes what they have changed. */
  async all(steps: readonly Step[]): Promise<void> {
    for (const step of steps) {
      if (this.isOver) break;
      if (!this.hasFailed) await this.step(step);
      else {
        // What the evaluator makes of it counts no longer: it is refused.
        const after = this.step(step);
        await after.catch(() => {});
      }
    }
    if (!this.hasFailed) await this.flush();
  }

  /** Does what fails, and goes on. */
  async caught(failing: () => unknown, codes: readonly unknown[], isFailure: boolean): Promise<void> {
    const error = await (async () => failing())().then(
      () => undefined,
      (thrown: unknown) => thrown ?? new Error("nothing was thrown"),
    );
    if (isPassing(error) && !codes.includes(codeOf(error))) throw error;
    expect(codes, String(error)).toContain(codeOf(error) ?? (error as Error | undefined)?.message);
    if (!isFailure) return;
    this.hasFailed = true;
    const after = await this.w.count(from(archive.Box)).then(
      () => "counted",
      (thrown: unknown) => codeOf(thrown),
    );
    expect(afterFailure, String(after)).toContain(after);
  }

  /** A failure of one kind or another, which is caught. */
  async fail(how: number, at: number): Promise<void> {
    const { w, world, setting } = this;
    const name = `f${++this.#count}`;
    const [item, box, label] = [this.some(at, "Item"), this.some(at, "Box"), this.some(at, "Label")];
    await this.flush();
    switch (how % 8) {
      case 0: {
        if (label === undefined || label.live !== undefined) return;
        const failing = () => {
          w.add(archive.Label, { code: new Code(label.key), name });
          return w.flush();
        };
        return this.caught(failing, ["UNIQUE_VIOLATED"], true);
      }
      case 1:
      case 2: {
        // By a trigger, that ends the statement or, on SQLite, all of the transaction.
        if (item === undefined) return;
        const live = await this.live(item);
        const failing = () => {
          w.add(archive.Note, { name: how % 8 === 1 ? "bad" : "worst", item: live } as Any);
          return w.flush();
        };
        await this.caught(failing, ["TRIGGER_REFUSED"], true);
        this.isLost = how % 8 === 2 && setting.engine.includes("sqlite");
        return;
      }
      case 3: {
        if (item === undefined) return;
        const live = await this.live(item);
        const failing = () => {
          live.name = "refused by a hook";
          return w.flush();
        };
        return this.caught(failing, [hookRefusal.message], true);
      }
      case 4: {
        const isPostgres = setting.engine === "postgres" || setting.engine === "pglite";
        const failing = () => w.list(sql.rows({ n: integer })`select n from ra_no_such_table`);
        return this.caught(failing, ["DATABASE_FAILED", "TABLE_MISSING"], isPostgres);
      }
      case 5: {
        // Somebody else has changed the row since it was read.
        if (box === undefined) return;
        const live = await this.live(box);
        await w.tx.update(from(archive.Box).byKey(box.key), { name } as Any);
        const failing = () => {
          live.name = `${name}x`;
          return w.flush();
        };
        return this.caught(failing, ["CONFLICT"], true);
      }
      case 6:
        return this.caught(() => w.count(from(archive.Shelf), { signal: AbortSignal.abort() }), ["ABORTED"], false);
      default: {
        if (setting.isBeside) return;
        const failing = () => {
          w.add(archive.Visit, { at: new Date(1_500_000_000_000 + this.#count * 1000), name, boxId: 999_999_999 } as Any);
          return w.flush();
        };
        if (world.length > 0) return this.caught(failing, ["FOREIGN_KEY_VIOLATED"], true);
      }
    }
  }

  /** A unit of work inside of this one: it is written with it, or leaves nothing. */
  async nest(steps: readonly Step[], isThrown: boolean): Promise<void> {
    await this.flush();
    let inner: Play | undefined;
    this.#count += 400;
    const working = this.w.tx.work(async (w) => {
      inner = new Play(copyOf(this.world), w, { ...this.setting, count: this.#count - 350, depth: this.setting.depth + 1 });
      await inner.all(steps);
      if (isThrown) throw undone;
    });
    const error = await working.then(
      () => undefined,
      (thrown: unknown) => thrown,
    );
    if (inner === undefined) throw error;
    if (inner.isLost) [this.hasFailed, this.isLost] = [true, true];
    if (inner.hasFailed) {
      if (error !== undone) expect(afterFailure, String(error)).toContain(codeOf(error));
      return;
    }
    if (isThrown && error === undone) return;
    if (error !== undefined) throw error;
    expect(isThrown).toBe(false);
    this.world = inner.world;
    for (const at of [0, 1] as const) this.raised[at] += inner.raised[at];
    this.isOver = true;
  }

  /** One of the rows that this handle sees; those that are marked only where they are asked for. */
  some(n: number, kind: Kind, isMarked = false): Row | undefined {
    if (kind === "Visit" && this.setting.isBeside) return undefined;
    const fitting = this.world.filter(
      (row) => row.kind === kind && (isMarked ? row.isMarked : isSeen(row)) && (row.house === undefined || row.house === this.house),
    );
    return fitting[n % Math.max(1, fitting.length)];
  }

  keyOf({ kind, key }: Row, n: number): Any {
    switch (kind) {
      case "Shelf":
        return { aisle: key[0], place: key[1] };
      case "Mark":
        return { itemId: n % 2 ? key[0] : key[0].toUpperCase(), code: new Code(key[1]) };
      case "Label":
        return new Code(key);
      case "Visit":
        return new Date(key);
      default:
        return typeof key === "string" && n % 2 ? key.toUpperCase() : key;
    }
  }

  async live(row: Row): Promise<Any> {
    const key = this.keyOf(row, ++this.#count);
    if (row.live === undefined) {
      if (row.isMarked) [row.live] = (await this.w.list(every(row.kind).byKey(key))) as Any[];
      else row.live = await this.w.byKey(archive[row.kind] as Any, key);
    }
    return row.live;
  }

  known(kind: Kind, live: Any): Row {
    const key = JSON.stringify(told(kind, { facts: {}, price: {}, gone: null, ...live }).key);
    const row = this.world.find((one) => one.live === live) ?? this.world.find((one) => one.kind === kind && JSON.stringify(one.key) === key);
    if (row === undefined) throw new Error(`a ${kind} that is not there: ${key}`);
    if (row.live !== undefined) expect(row.live, `two of one ${kind}`).toBe(live);
    row.live = live;
    return row;
  }

  add(kind: Kind, live: Any, key: Any, refs: Row["refs"], n = 0): Row {
    const isOpen = kind === "Label" || kind === "Visit";
    const row: Row = { kind, house: isOpen ? undefined : this.house, key, name: live.name, n, refs, isMarked: false, markedWith: undefined, born: {}, live };
    this.world.push(row);
    this.#unwritten.add(row);
    return row;
  }

  gone(row: Row): void {
    this.world.splice(this.world.indexOf(row), 1);
  }

  refersTo(row: Row, ...but: readonly Kind[]): boolean {
    return this.world.some((other) => !but.includes(other.kind) && Object.values(other.refs).includes(row));
  }

  async flush(): Promise<void> {
    await this.w.flush();
    this.#unwritten.clear();
    for (const row of this.world)
      if (row.key === undefined && row.live !== undefined) row.key = told(row.kind, { facts: {}, price: {}, ...row.live, gone: null }).key;
    for (const row of this.world) if (row.kind === "Seal") row.key = row.refs.box?.key;
  }

  async step([kind, a, b, c]: readonly [number, number, number, number]): Promise<void> {
    const { w, world } = this;
    const name = `n${++this.#count}`;
    const [shelf, box, item, label] = [this.some(a, "Shelf"), this.some(b, "Box"), this.some(c, "Item"), this.some(a, "Label")];
    switch (kind) {
      case 0: {
        const key = [aisles[a % aisles.length] as string, (b % 3) + (this.setting.isBeside ? 10 * (this.house + 1) : 0)];
        if (world.some((row) => row.kind === "Shelf" && row.key[0] === key[0] && row.key[1] === key[1])) return;
        // The handle's own value may be left out.
        const live = w.add(archive.Shelf, { aisle: key[0], place: key[1], name, ...(c % 2 ? { houseId: houses[this.house] } : {}) } as Any);
        this.add("Shelf", live, key, {});
        return;
      }
      case 1: {
        if (shelf === undefined) return;
        const parent = c % 2 === 0 ? box : undefined;
        const live = w.add(archive.Box, {
          ...{ name, tags: [name], facts: { n: c }, content: `c${c}`, shelf: await this.live(shelf), ...(parent ? { parent: await this.live(parent) } : {}) },
        } as Any);
        this.add("Box", live, undefined, { shelf, parent: parent ?? null }, c);
        return;
      }
      case 2: {
        if (box === undefined) return;
        const id = uuidOf(this.#count);
        const notes = c % 2 ? [{ name: `${name}a` }, { name: `${name}b` }] : [];
        const live: Any = w.add(archive.Item, {
          id: c % 3 ? id : id.toUpperCase(),
          name,
          price: { amount: c, unit: "x" },
          box: await this.live(box),
          notes,
        } as Any);
        if (b % 5 === 0) {
          // What was never written is nothing once it is removed, with all that came along.
          w.remove(live);
          return;
        }
        const row = this.add("Item", live, id, { box }, c);
        for (const note of notes.length ? await live.notes : []) this.add("Note", note, undefined, { item: row });
        return;
      }
      case 3: {
        const code = ["7", "07", "é", "e\u0301", "x", "X"][b % 6] as string;
        if (label === undefined || (c % 3 === 0 && !this.setting.isBeside)) {
          if (!this.setting.isBeside && !world.some((row) => row.kind === "Label" && row.key === code))
            this.add("Label", w.add(archive.Label, { code: new Code(code), name }), code, {});
          return;
        }
        if (item === undefined || world.some((row) => row.kind === "Mark" && row.refs.item === item && row.refs.label === label)) return;
        this.add("Mark", w.add(archive.Mark, { name, item: await this.live(item), label: await this.live(label) } as Any), [item.key, label.key], {
          item,
          label,
        });
        return;
      }
      case 4: {
        if (this.setting.isBeside) return;
        const at = new Date(1_600_000_000_000 + this.#count * 1000);
        const live = w.add(archive.Visit, { at, name, ...(box && c % 2 ? { box: await this.live(box) } : { boxId: null }) } as Any);
        this.add("Visit", live, at.toISOString(), { box: (c % 2 ? box : undefined) ?? null });
        return;
      }
      case 5: {
        if (box === undefined || world.some((row) => row.kind === "Seal" && row.refs.box === box)) return;
        this.add("Seal", w.add(archive.Seal, { name, box: await this.live(box) } as Any), box.key, { box });
        return;
      }
      case 6:
      case 7: {
        const row = this.some(b, kinds[(a % (kinds.length - 1)) + 1] as Kind);
        if (row === undefined || (row.kind === "Label" && this.setting.isBeside)) return;
        const live = await this.live(row);
        live.name = row.name = name;
        if (row.kind === "Box") {
          row.n = c;
          // Of what another step changes as well.
          live.tags = [name];
          live.content = `c${c}`;
          live.facts.n = c;
        }
        if (row.kind === "Item") live.price.amount = row.n = c;
        return;
      }
      case 8: {
        // Moves: by the relation, or by its key.
        const row = this.some(a, (["Item", "Box", "Visit"] as const)[c % 3] as Kind);
        if (row === undefined || (row.kind !== "Box" && box === undefined)) return;
        const live = await this.live(row);
        if (row.kind === "Box") {
          const other = this.some(b, "Shelf") as Row;
          row.refs.shelf = other;
          if (c % 2 === 0) live.shelf = await this.live(other);
          else {
            // Lists that are loaded follow a key once it is written.
            [live.aisle, live.place] = other.key;
            await this.flush();
          }
          return;
        }
        row.refs.box = box as Row;
        if (c % 2 === 0 || box?.key === undefined) live.box = await this.live(box as Row);
        else {
          live.boxId = box.key;
          await this.flush();
        }
        return;
      }
      case 9: {
        const row = this.some(a, "Box");
        if (row === undefined || row === box) return;
        const other = c % 3 === 0 ? null : (box ?? null);
        (await this.live(row)).parent = other && (await this.live(other));
        row.refs.parent = other;
        return;
      }
      case 10: {
        const row = c % 2 ? this.some(a, "Box") : item;
        if (row === undefined) return;
        // One that was never written cannot come back.
        if (this.#unwritten.has(row)) await this.flush();
        w.remove(await this.live(row));
        if (b % 4 === 0) {
          await w.restore(row.live);
          return;
        }
        await this.flush();
        row.isMarked = true;
        row.markedWith = undefined;
        if (row.kind !== "Box") return;
        for (const own of world) if (own.kind === "Item" && own.refs.box === row && !own.isMarked) [own.isMarked, own.markedWith] = [true, row];
        return;
      }
      case 11: {
        const row = this.some(a, c % 2 ? "Box" : "Item", true);
        // An item of a marked box would be seen by nobody's relation.
        if (row === undefined || (row.kind === "Item" && row.refs.box?.isMarked)) return;
        await w.restore(await this.live(row));
        await this.flush();
        row.isMarked = false;
        for (const own of world) if (own.kind === "Item" && own.markedWith === row && own.refs.box === row) [own.isMarked, own.markedWith] = [false, undefined];
        return;
      }
      case 12: {
        const row = this.some(a, (["Note", "Mark", "Visit", "Seal"] as const)[b % 4] as Kind);
        if (row === undefined || Object.values(row.refs).some((ref) => ref?.isMarked)) return;
        w.remove(await this.live(row));
        this.gone(row);
        return;
      }
      case 13: {
        const row = this.some(a, b % 2 ? "Item" : "Box", c % 2 === 0);
        if (row === undefined || (row.kind === "Box" && this.refersTo(row, "Item"))) return;
        await this.flush();
        // One that this work has marked is read anew.
        if (row.isMarked) row.live = undefined;
        w.removeForGood(await this.live(row));
        const items = row.kind === "Box" ? world.filter((own) => own.kind === "Item" && own.refs.box === row) : [row];
        for (const own of items) for (const part of world.filter((one) => one.refs.item === own)) this.gone(part);
        for (const own of items) this.gone(own);
        if (row.kind === "Box") this.gone(row);
        await this.flush();
        return;
      }
      case 14:
      case 15: {
        const row = this.some(b, kinds[(a % (kinds.length - 1)) + 1] as Kind);
        const names = row === undefined ? [] : Object.keys(many[row.kind] ?? {});
        if (row === undefined || names.length === 0) return;
        const relation = names[c % names.length] as string;
        const [target, by] = (many[row.kind] as Any)[relation] as [Kind, string];
        const found: Any[] = await (await this.live(row))[relation];
        await this.flush();
        const expected = world.filter(
          (other) => other.kind === target && other.refs[by] === row && isSeen(other) && (other.house ?? this.house) === this.house,
        );
        expect(new Set(found.map((live) => this.known(target, live))), `${row.kind}.${relation}`).toEqual(new Set(expected));
        return;
      }
      case 28:
      case 29: {
        // Over other rows: read anew where one on the way has changed, as one does between two reads.
        const row = this.some(b, a % 2 ? "Box" : "Item");
        const [relation, [target, rowsOf]] = Object.entries(far[a % 2 ? "Box" : "Item"] ?? {})[0] as [
          string,
          [Kind, (row: Row, world: World) => readonly Row[]],
        ];
        const compare = async (): Promise<void> => {
          if (row === undefined || !isSeen(row) || !this.world.includes(row)) return;
          await this.flush();
          const found: Any[] = await (await this.live(row))[relation];
          expect(new Set(found.map((live) => this.known(target, live))), `${row.kind}.${relation}`).toEqual(new Set(rowsOf(row, this.world)));
        };
        await compare();
        // An item or a link comes, moves, is marked or goes.
        await this.step([[2, 3, 8, 10, 12, 20][c % 6] as number, a, b, c]);
        return await compare();
      }
      case 16: {
        const row = this.some(b, kinds[(a % (kinds.length - 1)) + 1] as Kind);
        const names = row === undefined ? [] : Object.keys(single[row.kind]);
        if (row === undefined || names.length === 0) return;
        const relation = names[c % names.length] as string;
        const expected = row.refs[relation] ?? null;
        // A row that must be there and is hidden is an error of its own.
        if (expected?.isMarked || (expected !== null && expected.house !== undefined && expected.house !== this.house)) return;
        const found = await (await this.live(row))[relation];
        await this.flush();
        expect(found === null ? null : this.known(expected?.kind ?? "Box", found), `${row.kind}.${relation}`).toBe(expected);
        return;
      }
      case 17:
      case 18: {
        const of = kinds[a % kinds.length] as Kind;
        const seen = world.filter((row) => row.kind === of && isSeen(row) && (row.house === undefined || row.house === this.house || of === "House"));
        const query = from(archive[of] as Any) as Any;
        if (b % 3 === 0) {
          expect(await w.count(query), `count of ${of}`).toBe(seen.length);
          return;
        }
        const lives: Any[] = [];
        if (b % 3 === 1) for await (const live of w.stream(query)) lives.push(live);
        else lives.push(...((await w.list(query)) as Any[]));
        await this.flush();
        expect(new Set(lives.map((live) => this.known(of, live))), `list of ${of}`).toEqual(new Set(seen));
        for (const live of lives) expect([live.name, of === "Box" ? live.size : 0]).toEqual([this.known(of, live).name, of === "Box" ? live.name.length : 0]);
        return;
      }
      case 19: {
        const row = this.some(b, kinds[(a % (kinds.length - 1)) + 1] as Kind);
        if (row?.live === undefined) return;
        await this.flush();
        if (c % 2) await w.refresh(row.live);
        else {
          w.forget(row.live);
          row.live = undefined;
        }
        expect((await this.live(row)).name).toBe(row.name);
        return;
      }
      case 20: {
        if (item === undefined) return;
        await this.flush();
        const old = world.find((row) => row.kind === "Note" && row.refs.item === item);
        await w.patch(await this.live(item), {
          name,
          price: { amount: a },
          notes: [{ name: `${name}x` }, ...(old ? [{ id: old.key, name: `${name}y` }] : [])],
        } as Any);
        item.name = name;
        item.n = a;
        if (old) old.name = `${name}y`;
        await this.flush();
        const added = (await item.live.notes).find((note: Any) => note.name === `${name}x`);
        this.add("Note", added, added.id, { item });
        return;
      }
      case 22:
      case 23:
        return this.fail(a, b);
      case 24: {
        if (this.setting.depth === 2) return;
        // Steps that depend on nothing else than these numbers.
        const steps = Array.from(
          { length: 2 + (c % 5) },
          (_, i): Step => [(a + b * (i + 1) + i * i) % stepKinds, (a + 7 * i) % 41, (b + 11 * i) % 41, (c + 13 * i) % 41],
        );
        return this.nest(steps, a % 2 === 0);
      }
      case 25:
      case 26: {
        const at = (a % 2) as 0 | 1;
        const tally = await w.byKey(archive.Tally, at + 1);
        tally.n += 1;
        this.raised[at] += 1;
        if (b % 2) await this.flush();
        return;
      }
      default: {
        // Refusals before anything is sent: nothing of them is left.
        await this.flush();
        const other = world.find((row) => row.kind === "Shelf" && row.house !== this.house);
        if (other !== undefined) await expect(w.byKey(archive.Shelf, this.keyOf(other, 0))).rejects.toMatchObject({ code: "NONE_FOUND" });
        const wrong = () => w.add(archive.Item, { id: uuidOf(1), name, colour: 1, price: { amount: 1, unit: "x" }, boxId: 1 } as Any);
        expect(wrong).toThrow();
        if (item === undefined) return;
        await expect(w.patch(await this.live(item), { name: "lost", colour: 1 } as Any)).rejects.toMatchObject({ code: expect.any(String) });
      }
    }
  }
}
