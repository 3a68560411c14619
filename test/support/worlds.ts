import { lending, type Society } from "../../tools/src/demo/index.js";

export type Row = Readonly<Record<string, unknown>>;

/**
 * How a column's values are compared: as they are, as digits, without the case of letters; `own`: by a rule that no
 * evaluation repeats. With a question mark where there may be none.
 */
type ColumnRule = "ordered" | "boolean" | "own" | "digits" | "folded";

/** A relation as an evaluation sees it: over keys of here and there, or through others. */
export type Way =
  | {
      readonly to: string;
      readonly here: string | readonly string[];
      readonly there: string | readonly string[];
      readonly isOne: boolean;
      /** Whether it is an error where a key leads to no row. */
      readonly isStrict?: boolean;
      /** The columns there whose values a row here has at hand, whether there is a row there or not. */
      readonly atHand?: readonly string[];
      readonly when?: (row: Row) => boolean;
      readonly order?: readonly { readonly column: string; readonly descending: boolean }[];
    }
  | { readonly through: readonly string[] };

/** A model with rows, told so that evaluating queries shares nothing with the library. */
export interface World {
  readonly entities: Readonly<
    Record<
      string,
      {
        readonly columns: Readonly<Record<string, ColumnRule | `${ColumnRule}?`>>;
        readonly key: readonly string[];
        readonly relations: Readonly<Record<string, Way>>;
        /** Value objects, and the columns that are inside of them. */
        readonly inside?: Readonly<Record<string, readonly string[]>>;
      }
    >
  >;
  readonly rows: Readonly<Record<string, readonly Row[]>>;
  /** A value of a column's kind, where no row has one. */
  readonly sampleOf: (entity: string, column: string) => unknown;
  /** The library's entities, by name. */
  readonly model: object;
}

const entityOf = ({ entities }: World, entity: string) => entities[entity] as World["entities"][string];
const ruleOf = (world: World, entity: string, column: string) => (entityOf(world, entity).columns[column] as string).replace("?", "") as ColumnRule;

export const columnsOf = (world: World, entity: string): string[] => Object.keys(entityOf(world, entity).columns);
export const sampleOf = ({ sampleOf }: World, entity: string, column: string): unknown => sampleOf(entity, column);
export const keyOf = (world: World, entity: string): readonly string[] => entityOf(world, entity).key;
export const isNullable = (world: World, entity: string, column: string): boolean => entityOf(world, entity).columns[column]?.endsWith("?") === true;
export const isTruth = (world: World, entity: string, column: string): boolean => ruleOf(world, entity, column) === "boolean";
/** The value object that a column is inside of. */
export const ownerOf = (world: World, entity: string, column: string): string | undefined =>
  Object.entries(entityOf(world, entity).inside ?? {}).find(([, columns]) => columns.includes(column))?.[0];
/** Columns and value objects, as code sees them. */
export const membersOf = (world: World, entity: string): string[] => [
  ...new Set(columnsOf(world, entity).map((column) => ownerOf(world, entity, column) ?? column)),
];
/** A row's member: a column's value, or an object of several. */
export function memberOf(world: World, entity: string, row: Row, member: string): unknown {
  const columns = entityOf(world, entity).inside?.[member];
  if (columns === undefined) return row[member] ?? null;
  return Object.fromEntries(columns.map((column) => [column, row[column] ?? null]));
}
/** Columns that conditions and orders may be of. */
export const plainColumns = (world: World, entity: string): string[] =>
  columnsOf(world, entity).filter((name) => ["ordered", "boolean"].includes(ruleOf(world, entity, name)));
export const relationNames = (world: World, entity: string): string[] => Object.keys(entityOf(world, entity).relations).filter((name) => !name.startsWith("~"));

export const wayOf = (world: World, entity: string, name: string): Way => {
  const way = entityOf(world, entity).relations[name];
  if (way === undefined) throw new Error(`${entity} has no ${name}`);
  return way;
};

const ruled = (value: unknown, rule: ColumnRule): unknown => (rule === "folded" ? String(value).toLowerCase() : rule === "digits" ? Number(value) : value);

/** Missing values come first. */
export function compareIn(world: World, entity: string, column: string, a: unknown, b: unknown): number {
  if (a === null || b === null) return a === b ? 0 : a === null ? -1 : 1;
  const rule = ruleOf(world, entity, column);
  const [left, right] = [ruled(a, rule), ruled(b, rule)] as [string, string];
  return left === right ? 0 : left < right ? -1 : 1;
}

/** The rows of a relation, each once. */
export function relatedRows(world: World, entity: string, row: Row, name: string): readonly Row[] {
  const way = wayOf(world, entity, name);
  if ("to" in way) {
    const [here, there] = [[way.here].flat(), [way.there].flat()];
    const isOf = (other: Row) =>
      there.every((column, i) => row[here[i] as string] != null && compareIn(world, way.to, column, other[column], row[here[i] as string]) === 0);
    return (world.rows[way.to] as readonly Row[]).filter((other) => isOf(other) && (way.when?.(other) ?? true));
  }
  let [rows, at]: [readonly Row[], string] = [[row], entity];
  for (const step of way.through) {
    rows = [...new Set(rows.flatMap((each) => relatedRows(world, at, each, step)))];
    at = endOf(world, at, step)[1];
  }
  return rows;
}

/** Whether a row has a key for a relation that must lead to a row. */
export function mustLead(world: World, entity: string, row: Row, name: string): boolean {
  const way = wayOf(world, entity, name);
  if ("to" in way) return way.isOne && way.isStrict === true && [way.here].flat().every((column) => row[column] != null);
  let at = entity;
  return way.through.every((step, i) => {
    const further = wayOf(world, at, step) as Extract<Way, { to: string }>;
    const isSure = i === 0 ? mustLead(world, at, row, step) : [further.here].flat().every((column) => !isNullable(world, at, column));
    at = further.to;
    return further.isOne && further.isStrict === true && isSure;
  });
}

/** Where a relation leads, and whether to one row. */
export function endOf(
  world: World,
  entity: string,
  name: string,
): readonly [isOne: boolean, target: string, order?: readonly { readonly column: string; readonly descending: boolean }[]] {
  const way = wayOf(world, entity, name);
  if ("to" in way) return way.order === undefined ? [way.isOne, way.to] : [way.isOne, way.to, way.order];
  return way.through.reduce<ReturnType<typeof endOf>>(
    (at, step) => {
      const [isOne, target, order] = endOf(world, at[1], step);
      return order === undefined ? [at[0] && isOne, target] : [at[0] && isOne, target, order];
    },
    [true, entity],
  );
}

type Name = Exclude<keyof typeof lending, "Tag" | "Inspection" | "Reservation" | "FormerLoan">;

const up = (to: Name, here: string, there = "id"): Way => ({ to, here, there, isOne: true });
const down = (to: Name, there: string, here = "id"): Way => ({ to, here, there, isOne: false });
const isOpen = (row: Row) => row.returned === null;

/** Relations and columns, told once more by hand so that a mistake of the model does not repeat here. */
const relations: Record<Name, Record<string, Way>> = {
  District: {
    depots: down("Depot", "districtId"),
    items: { through: ["depots", "items"] },
    loans: { through: ["depots", "items", "loans"] },
    borrowers: { through: ["depots", "items", "loans", "borrower"] },
  },
  Depot: {
    district: up("District", "districtId"),
    items: down("Item", "depotId"),
    openLoans: { through: ["items", "openLoans"] },
  },
  Item: {
    depot: up("Depot", "depotId"),
    loans: down("Loan", "itemId"),
    openLoans: {
      to: "Loan",
      here: "id",
      there: "itemId",
      isOne: false,
      when: isOpen,
      order: [{ column: "due", descending: true }],
    },
    manual: up("Manual", "id", "itemId"),
    repairs: down("Repair", "itemId"),
    kits: { through: ["~KitItem", "kit"] },
    "~KitItem": down("KitItem", "itemId"),
  },
  Loan: {
    item: up("Item", "itemId"),
    borrower: up("Member", "memberId"),
    depot: { through: ["item", "depot"] },
    district: { through: ["item", "depot", "district"] },
  },
  Member: {
    loans: down("Loan", "memberId"),
    sponsor: up("Member", "sponsorId"),
    sponsored: down("Member", "sponsorId"),
    borrowed: { through: ["loans", "item"] },
    skills: { through: ["~MemberSkill", "skill"] },
    "~MemberSkill": down("MemberSkill", "memberId"),
  },
  Manual: { item: up("Item", "itemId") },
  Category: {
    parent: up("Category", "parentId"),
    children: down("Category", "parentId"),
    kits: down("Kit", "categoryId"),
  },
  Kit: {
    category: up("Category", "categoryId"),
    parts: down("KitItem", "kitId"),
    items: { through: ["parts", "item"] },
  },
  KitItem: { kit: up("Kit", "kitId"), item: up("Item", "itemId") },
  Skill: { members: { through: ["~MemberSkill", "member"] }, "~MemberSkill": down("MemberSkill", "skillCode", "code") },
  MemberSkill: { member: up("Member", "memberId"), skill: up("Skill", "skillCode", "code") },
  Repair: { item: up("Item", "itemId"), volunteer: up("Member", "volunteerId") },
};

const columns: Record<Name, World["entities"][string]["columns"]> = {
  District: { id: "ordered", name: "ordered" },
  Depot: { id: "ordered", districtId: "ordered", name: "ordered", town: "ordered" },
  Item: { id: "ordered", depotId: "ordered", name: "ordered", note: "ordered?" },
  Loan: { id: "ordered", itemId: "ordered", memberId: "ordered", due: "ordered", returned: "ordered?" },
  Member: { id: "ordered", name: "ordered", blocked: "boolean", sponsorId: "ordered?" },
  Manual: { itemId: "ordered", title: "ordered", language: "ordered" },
  Category: { id: "ordered", name: "ordered", parentId: "ordered?" },
  Kit: { id: "ordered", categoryId: "ordered", name: "ordered" },
  KitItem: { kitId: "ordered", itemId: "ordered", quantity: "ordered" },
  Skill: { code: "ordered", name: "ordered" },
  MemberSkill: { memberId: "ordered", skillCode: "ordered" },
  Repair: { id: "ordered", itemId: "ordered", volunteerId: "ordered?", begun: "ordered", cost: "own", findings: "own" },
};
const keys: Partial<Record<Name, readonly string[]>> = {
  Manual: ["itemId"],
  KitItem: ["kitId", "itemId"],
  Skill: ["code"],
  MemberSkill: ["memberId", "skillCode"],
};

/** The lending society, with the rows of one of them. */
export const worldOf = (rows: Society): World => ({
  entities: Object.fromEntries(
    (Object.keys(relations) as Name[]).map((name) => [name, { columns: columns[name], key: keys[name] ?? ["id"], relations: relations[name] }]),
  ),
  rows: rows as unknown as World["rows"],
  sampleOf: (_, column) =>
    /^(id|.*Id|quantity)$/.test(column)
      ? 1
      : /^(due|returned|begun)$/.test(column)
        ? "2026-01-01"
        : column === "blocked"
          ? true
          : column === "language"
            ? "en"
            : "a",
  model: lending,
});
