import fc from "fast-check";
import { expect } from "vitest";
import {
  type AnyDatabase,
  createTables,
  type Database,
  entity,
  from,
  identity,
  integer,
  json,
  linked,
  model,
  type Transaction,
  text,
  toMany,
  toOne,
  type UnitOfWork,
} from "../src/index.js";
import { eachEngine, useEngines } from "./support/engines.js";

const { all } = useEngines(true);

/** How many sequences are tried on SQLite; a twentieth of it on each other engine. */
const sequences = Number(process.env.GEMACH_SEQUENCES ?? (process.env.CI ? 1000 : 150));

/** Rows that refer to their own kind, to each other in a circle, and links whose key is of two columns, which refer to each other. */
const league = model({
  Team: entity(
    "rw_team",
    { id: identity, name: text, captainId: integer.nullable, facts: json<{ n: number }>() },
    {
      captain: toOne("Player", { by: "captainId" }),
      players: toMany("Player", { by: "teamId" }),
    },
  ),
  Player: entity(
    "rw_player",
    { id: identity, name: text, teamId: integer, mentorId: integer.nullable, version: integer.version },
    {
      team: toOne("Team", { by: "teamId" }),
      mentor: toOne("Player", { by: "mentorId" }),
      pupils: toMany("Player", { by: "mentorId" }),
      captaincies: toMany("Team", { by: "captainId" }),
      wins: toMany("Win", { by: "playerId" }),
      cups: linked("Cup", { by: "Win" }),
    },
  ),
  Cup: entity("rw_cup", { id: integer.key, name: text }, { wins: toMany("Win", { by: "cupId" }), winners: linked("Player", { by: "Win" }) }),
  Win: entity(
    "rw_win",
    { cupId: integer.key, playerId: integer.key, name: text, rivalCupId: integer.nullable, rivalPlayerId: integer.nullable },
    {
      cup: toOne("Cup", { by: "cupId" }),
      player: toOne("Player", { by: "playerId" }),
      rival: toOne("Win", { by: ["rivalCupId", "rivalPlayerId"] }),
      rivals: toMany("Win", { by: ["rivalCupId", "rivalPlayerId"] }),
    },
  ),
});
type Kind = keyof typeof league;
const kinds: readonly Kind[] = ["Team", "Player", "Cup", "Win"];

/** What a row is, and what it refers to. */
interface Row {
  readonly kind: Kind;
  name: string;
  facts?: { n: number };
  id: number | undefined;
  readonly refs: Record<string, Row | null>;
  live: Any | undefined;
}
// biome-ignore lint/suspicious/noExplicitAny: the test chooses entities and relations by chance
type Any = any;

const foreign: Readonly<Record<Kind, readonly string[]>> = { Team: ["captain"], Player: ["team", "mentor"], Cup: [], Win: ["rival"] };
const back: Readonly<Record<string, readonly [Kind, string]>> = {
  "Team.players": ["Player", "team"],
  "Player.pupils": ["Player", "mentor"],
  "Player.captaincies": ["Team", "captain"],
  "Player.wins": ["Win", "player"],
  "Cup.wins": ["Win", "cup"],
  "Win.rivals": ["Win", "rival"],
};
const relations: Readonly<Record<Kind, readonly string[]>> = {
  Team: ["captain", "players"],
  Player: ["team", "mentor", "pupils", "captaincies", "wins", "cups"],
  Cup: ["wins", "winners"],
  Win: ["cup", "player", "rival", "rivals"],
};

type World = Row[];

/** The rows that a relation leads to. */
function related(world: World, row: Row, name: string): readonly Row[] {
  if (name in row.refs) return row.refs[name] ? [row.refs[name] as Row] : [];
  const by = back[`${row.kind}.${name}`];
  if (by !== undefined) return world.filter((other) => other.kind === by[0] && other.refs[by[1]] === row);
  const [own, far] = name === "cups" ? ["player", "cup"] : ["cup", "player"];
  return world.filter((win) => win.kind === "Win" && win.refs[own as string] === row).map((win) => win.refs[far as string] as Row);
}

/** A row as the database has it. */
const plain = ({ kind, name, id, refs, facts }: Row): object =>
  kind === "Win"
    ? {
        cupId: refs.cup?.id,
        playerId: refs.player?.id,
        name,
        rivalCupId: refs.rival?.refs.cup?.id ?? null,
        rivalPlayerId: refs.rival?.refs.player?.id ?? null,
      }
    : {
        id,
        name,
        ...(kind === "Team" ? { captainId: refs.captain?.id ?? null, facts } : {}),
        ...(kind === "Player" ? { teamId: refs.team?.id, mentorId: refs.mentor?.id ?? null } : {}),
      };

async function inDatabase(db: AnyDatabase): Promise<Record<Kind, object[]>> {
  const rows: Any = {};
  for (const kind of kinds) rows[kind] = await db.list(from(league[kind] as Any));
  for (const player of rows.Player) delete player.version;
  return rows;
}
const byKey = (rows: readonly Any[]) => rows.toSorted((a, b) => (a.id ?? a.cupId * 1e6 + a.playerId) - (b.id ?? b.cupId * 1e6 + b.playerId));

/** The same world without live entities, for the next unit of work. */
function copyOf(world: World): World {
  const copies = new Map(world.map((row) => [row, { ...row, refs: {} as Row["refs"], live: undefined, ...(row.facts ? { facts: { ...row.facts } } : {}) }]));
  for (const [row, copy] of copies) for (const [name, other] of Object.entries(row.refs)) copy.refs[name] = other === null ? null : (copies.get(other) as Row);
  return [...copies.values()];
}

type Step = readonly [number, number, number, number];

/** A unit of work in which things happen by chance, beside the same in memory. */
class Play {
  readonly world: World;
  readonly w: UnitOfWork;
  #count: number;

  constructor(world: World, w: UnitOfWork, count: number) {
    [this.world, this.w, this.#count] = [world, w, count];
  }

  some(n: number, ...of: readonly Kind[]): Row | undefined {
    const fitting = this.world.filter((row) => of.length === 0 || of.includes(row.kind));
    return fitting[n % Math.max(1, fitting.length)];
  }

  key({ kind, id, refs }: Row): Any {
    return kind === "Win" ? { cupId: refs.cup?.id, playerId: refs.player?.id } : id;
  }

  async live(row: Row): Promise<Any> {
    row.live ??= await this.w.byKey(league[row.kind] as Any, this.key(row));
    return row.live;
  }

  /** An entity of which its key alone was fetched. */
  async bare(row: Row): Promise<Any> {
    const keyed = from(league[row.kind] as typeof league.Cup).byKey(row.id as number);
    [row.live] = await this.w.list(keyed.columns("id"));
    return row.live;
  }

  /** The row of a live entity; never is one row two of them. */
  known(kind: Kind, live: Any): Row {
    const row =
      this.world.find((one) => one.live === live) ??
      this.world.find(
        (one) => one.kind === kind && (kind === "Win" ? one.refs.cup?.id === live.cupId && one.refs.player?.id === live.playerId : one.id === live.id),
      );
    if (row === undefined) throw new Error(`a ${kind} that is not there`);
    if (row.live !== undefined) expect(row.live).toBe(live);
    row.live = live;
    return row;
  }

  /** Takes over the keys that the database has given. */
  ids(): void {
    for (const row of this.world) if (row.live !== undefined && row.kind !== "Win" && Object.hasOwn(row.live, "id")) row.id = row.live.id;
  }

  row(kind: Kind, refs: Row["refs"], live: Any): Row {
    const row: Row = { kind, name: live.name, id: kind === "Cup" ? live.id : undefined, refs, live, ...(kind === "Team" ? { facts: { n: 0 } } : {}) };
    this.world.push(row);
    return row;
  }

  async step([kind, a, b, c]: Step): Promise<void> {
    const { w, world } = this;
    const name = `n${++this.#count}`;
    switch (kind % 15) {
      case 0: {
        if (b % 2 === 0) {
          this.row("Team", { captain: null }, w.add(league.Team, { name, facts: { n: 0 } }));
          return;
        }
        const live: Any = w.add(league.Team, {
          name,
          facts: { n: 0 },
          players: [{ name: `${name}a` }, { name: `${name}b`, mentor: { name: `${name}c`, team: { name: `${name}d`, facts: { n: 0 } } } }],
        });
        const team = this.row("Team", { captain: null }, live);
        const [first, second] = live.players;
        this.row("Player", { team, mentor: null }, first);
        const other = this.row("Team", { captain: null }, second.mentor.team);
        const mentor = this.row("Player", { team: other, mentor: null }, second.mentor);
        this.row("Player", { team, mentor }, second);
        return;
      }
      case 1: {
        const team = this.some(a, "Team");
        if (team === undefined) return;
        const mentor = b % 2 === 0 ? this.some(b, "Player") : undefined;
        const live = w.add(league.Player, { name, team: await this.live(team), ...(mentor ? { mentor: await this.live(mentor) } : {}) });
        const player = this.row("Player", { team, mentor: mentor ?? null }, live);
        if (c % 2 === 0) {
          // A new row and one that it refers to, each of which refers to the other.
          team.live.captain = live;
          team.refs.captain = player;
        }
        return;
      }
      case 2:
        this.row("Cup", {}, w.add(league.Cup, { id: this.#count, name }));
        return;
      case 3: {
        const [cup, player] = [this.some(a, "Cup"), this.some(b, "Player")];
        if (!cup || !player || world.some((win) => win.kind === "Win" && win.refs.cup === cup && win.refs.player === player)) return;
        const rival = c % 2 === 0 ? this.some(c, "Win") : undefined;
        const link = { name, cup: await this.live(cup), player: await this.live(player), ...(rival ? { rival: await this.live(rival) } : {}) };
        this.row("Win", { cup, player, rival: rival ?? null }, w.add(league.Win, link));
        return;
      }
      case 4: {
        const row = this.some(a);
        if (row === undefined) return;
        const isBare = b % 2 === 0 && row.live === undefined && row.kind !== "Win" && row.id !== undefined;
        const live = isBare ? await this.bare(row) : await this.live(row);
        live.name = row.name = name;
        if (row.facts === undefined) return;
        row.facts.n = this.#count;
        if (isBare) live.facts = { n: this.#count };
        else live.facts.n = this.#count;
        return;
      }
      case 5: {
        const row = this.some(a, "Team", "Player", "Win");
        const relation = row === undefined ? undefined : foreign[row.kind][b % foreign[row.kind].length];
        if (row === undefined || relation === undefined) return;
        const other =
          relation !== "team" && c % 3 === 0 ? null : (this.some(c, relation === "team" ? "Team" : relation === "rival" ? "Win" : "Player") ?? null);
        if (other === row || (relation === "team" && other === null)) return;
        (await this.live(row))[relation] = other === null ? null : await this.live(other);
        row.refs[relation] = other;
        return;
      }
      case 6: {
        const row = this.some(a);
        if (row === undefined || world.some((other) => Object.values(other.refs).includes(row))) return;
        w.remove(await this.live(row));
        world.splice(world.indexOf(row), 1);
        return;
      }
      case 7:
        await w.flush();
        this.ids();
        return;
      case 8:
      case 9: {
        const row = this.some(a);
        if (row === undefined) return;
        const relation = relations[row.kind][b % relations[row.kind].length] as string;
        const found = await (await this.live(row))[relation];
        const lives: Any[] = Array.isArray(found) ? found : found === null ? [] : [found];
        this.ids();
        const target = related(world, row, relation)[0]?.kind ?? "Team";
        expect(new Set(lives.map((live) => this.known(target, live)))).toEqual(new Set(related(world, row, relation)));
        return;
      }
      case 10:
      case 11: {
        const of = kinds[a % kinds.length] as Kind;
        const shape = b % 2 === 0 ? { [relations[of][b % relations[of].length] as string]: true } : {};
        const lives = (await w.list((from(league[of] as Any) as Any).reach(shape))) as Any[];
        this.ids();
        expect(new Set(lives.map((live: Any) => this.known(of, live)))).toEqual(new Set(world.filter((row) => row.kind === of)));
        for (const live of lives) expect(live.name).toBe(this.known(of, live).name);
        return;
      }
      case 13: {
        // A document changes a row, and adds one below it.
        const team = this.some(a, "Team");
        if (team === undefined) return;
        const live = await this.live(team);
        await w.flush();
        this.ids();
        const known = related(world, team, "players")[0];
        if (known !== undefined && known.live === undefined) await this.live(known);
        const players = [{ name: `${name}new` }, ...(known === undefined ? [] : [{ id: known.id, name: `${name}old` }])];
        await w.patch(live, { name, players });
        team.name = name;
        if (known !== undefined) known.name = `${name}old`;
        const added = (await live.players).find((player: Any) => player.name === `${name}new`);
        this.row("Player", { team, mentor: null }, added);
        return;
      }
      case 14: {
        // A row that is forgotten, or read anew, is the same row; what was not written of it is lost.
        const row = this.some(a);
        if (row?.live === undefined) return;
        await w.flush();
        this.ids();
        const { live } = row;
        if (b % 2 === 0) await w.refresh(live);
        else {
          w.forget(live);
          row.live = undefined;
          expect(await this.live(row)).not.toBe(live);
        }
        expect(row.live.name).toBe(row.name);
        return;
      }
      default: {
        const row = this.some(a);
        if (row?.live !== undefined) expect(JSON.parse(JSON.stringify(row.live)).name).toBe({ ...row.live }.name);
      }
    }
  }
}

const step = fc.tuple(fc.nat(14), fc.nat(50), fc.nat(50), fc.nat(50));
const works = fc.array(fc.record({ steps: fc.array(step, { maxLength: 25 }), isThrown: fc.boolean(), cohort: fc.constantFrom(1, 3, undefined) }), {
  maxLength: 4,
});

eachEngine(
  all,
  "random units of work leave in the database what they leave in memory",
  async (db, { name }) => {
    await createTables(db, league);
    const numRuns = Math.ceil(name === "sqlite" ? sequences : sequences / 20);
    const undone = new Error("undone");
    let count = 0;
    await fc.assert(
      fc.asyncProperty(works, fc.boolean(), async (sequence, isInside) => {
        await db.update(from(league.Team), { captainId: null }, { all: true });
        await db.update(from(league.Player), { mentorId: null }, { all: true });
        await db.update(from(league.Win), { rivalCupId: null, rivalPlayerId: null }, { all: true });
        for (const kind of ["Win", "Cup", "Player", "Team"] as const) await db.delete(from(league[kind] as Any), { all: true });
        let world: World = [];
        const playAll = async (at: Database | Transaction) => {
          for (const { steps, isThrown, cohort } of sequence) {
            const next = copyOf(world);
            const working = at.work(
              async (w) => {
                count += 100;
                const play = new Play(next, w, count);
                for (const one of steps) await play.step(one);
                if (isThrown) throw undone;
              },
              cohort === undefined ? {} : { cohort },
            );
            if (isThrown) await expect(working).rejects.toBe(undone);
            else {
              await working;
              for (const row of next) if (row.live !== undefined && row.kind !== "Win") row.id = row.live.id;
              world = next;
            }
            const found = await inDatabase(at);
            for (const kind of kinds) expect(byKey(found[kind]), kind).toEqual(byKey(world.filter((row) => row.kind === kind).map(plain)));
          }
        };
        // Units of work inside of one transaction are savepoints.
        await (isInside ? db.transaction(playAll) : playAll(db));
      }),
      { numRuns, includeErrorInReport: true },
    );
  },
  Math.max(600_000, sequences * 1_000),
);
