import { kinds } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { memberAt } from "../expression/index.js";
import {
  columnAt,
  type Derivation,
  filled,
  isSameColumn,
  type Node,
  type Path,
  type Projection,
  pathTo,
  type QueryState,
  type ResolvedColumn,
  type ResolvedEntity,
  type ResolvedMember,
  type Source,
  typeOf,
} from "../ir/index.js";
import { referenceAt } from "./reference.js";

/** The values that a projection gives, by the names that lead to them. */
export function fieldsOf(projection: Projection, path: readonly string[] = []): ReadonlyMap<string, Node> {
  switch (projection.kind) {
    case "value":
      return new Map([[path.join("."), projection.node]]);
    case "object":
      return new Map(projection.fields.flatMap(([name, part]) => [...fieldsOf(part, [...path, name])]));
    default:
      throw new GemachError("SELECTION_UNFIT", {
        entity: projection.set.source.entity.name,
        path: `'${path.join(".")}'`,
        got: "a list, inside of another query,",
      });
  }
}

function derivedColumn(property: string, name: string, nodes: readonly Node[]): ResolvedColumn {
  const types = nodes.map(typeOf);
  const isNullable = types.some((type) => type.isNullable);
  const type = types[0]?.type ?? { kind: "text" };
  return {
    entity: "a query",
    property: property === "" ? "value" : property,
    steps: [property === "" ? "value" : property],
    name,
    kind: type.kind,
    type,
    isNullable,
    isRequired: !isNullable,
    isKey: false,
    isUnique: false,
    isHeavy: false,
    isSecret: false,
    isVersion: false,
    isComputed: false,
    defaultValue: undefined,
    defaultExpression: undefined,
    hasDefault: false,
    initial: undefined,
    written: undefined,
    schema: undefined,
    collations: {},
  };
}

/** Columns as the projection nests them. */
function membersOf(
  projection: Projection,
  columns: ReadonlyMap<string, ResolvedColumn>,
  nodes: ReadonlyMap<string, Node>,
  path: readonly string[] = [],
): ResolvedMember {
  if (projection.kind !== "object") return columns.get(path.join(".")) as ResolvedColumn;
  const fields = new Map(
    projection.fields.map(([name, part]) => [name, membersOf(part, columns, nodes, [...path, name])] as const),
  );
  const presence = projection.presence?.flatMap((node) => {
    const found = [...nodes].find(([, other]) => isSameColumn(node, other));
    return found === undefined ? [] : [columns.get(found[0]) as ResolvedColumn];
  });
  return { fields, presence };
}

/** What no two rows of a query share: what it is grouped by, or the keys of the rows that it is made of. */
function keysOfRows({ source, joins, groupBy }: QueryState): readonly Node[] {
  const sources = [source, ...joins.map((join) => join.source)];
  return groupBy ?? sources.flatMap((one) => one.entity.key.map((column) => columnAt(pathTo(one), column)));
}

/** The columns that tell a query's rows apart; where that is not known, all that can be sorted. */
function derivedKey(
  derivation: Derivation,
  columns: ReadonlyMap<string, ResolvedColumn>,
  nodes: ReadonlyMap<string, Node>,
  keyed: readonly string[],
): readonly ResolvedColumn[] {
  const keys = derivation.kind === "query" || derivation.kind === "named" ? keysOfRows(derivation.query) : [];
  const found = keys.flatMap(
    (key) => [...nodes].find(([, node]) => node === key || isSameColumn(node, key))?.[0] ?? [],
  );
  const paths = keyed.length === 0 && found.length === keys.length ? found : keyed;
  if (paths.length > 0) return paths.map((path) => columns.get(path) as ResolvedColumn);
  return [...columns.values()].filter(({ kind }) => kinds[kind].isSortable);
}

/** The rows of queries of one shape, as an entity that has no table. */
export function derivedEntity(
  name: string,
  projections: readonly Projection[],
  derivation: Derivation,
  keyed: readonly string[] = [],
): ResolvedEntity {
  const [first] = projections as readonly [Projection];
  const fields = projections.map((projection) => fieldsOf(projection));
  const nodes = fields[0] as ReadonlyMap<string, Node>;
  const names = new Set<string>();
  const columns = new Map(
    [...nodes.keys()].map((path, i) => {
      let sqlName = path === "" ? "value" : path.replaceAll(".", "_");
      // A name may be any text; as an identifier an engine might cut it short, or take another for the same.
      if (!/^[A-Za-z]\w{0,50}$/.test(sqlName)) sqlName = `value_${i + 1}`;
      while (names.has(sqlName.toLowerCase())) sqlName += "_";
      names.add(sqlName.toLowerCase());
      return [
        path,
        derivedColumn(
          path,
          sqlName,
          fields.map((found) => found.get(path) as Node),
        ),
      ] as const;
    }),
  );
  const member = membersOf(first, columns, nodes);
  return {
    name: "a query",
    table: name,
    schema: undefined,
    members: "fields" in member ? member.fields : new Map([["", member]]),
    columns,
    key: derivedKey(derivation, columns, nodes, keyed),
    relations: new Map(),
    indexes: [],
    isReadOnly: true,
    standing: [],
    through: [],
    open: undefined,
    isShared: false,
    checks: new Map(),
    computations: new Map(),
    derivation,
    make: undefined,
  };
}

/** The single value that the rows of a query are; undefined where they are objects. */
export const singleOf = ({ members }: ResolvedEntity): ResolvedMember | undefined =>
  members.size === 1 ? members.get("") : undefined;

/** What a callback gets of the rows of a source; `mayBeMissing`: there may be no row. */
export function rowAt(source: Source, mayBeMissing = false): unknown {
  const path = { ...pathTo(source), mayBeMissing };
  const { entity } = source;
  if (entity.derivation === undefined) return referenceAt(path);
  const single = singleOf(entity);
  if (single !== undefined) return memberAt(path, single);
  return memberAt(path, { fields: entity.members, presence: undefined });
}

/** The projection of a query whose rows are single values; objects need none. */
export function ownProjection(source: Source): Projection | undefined {
  const single = singleOf(source.entity);
  return single === undefined || "fields" in single
    ? undefined
    : { kind: "value", node: columnAt(pathTo(source), single) };
}

/** A member of the row at the end of a path as a projection. */
function memberProjection(path: Path, member: ResolvedMember): Projection {
  if (!("fields" in member)) return { kind: "value", node: columnAt(path, member) };
  const fields = [...member.fields].map(([name, part]) => [name, memberProjection(path, part)] as const);
  return { kind: "object", fields, presence: member.presence?.map((column) => columnAt(path, column)) };
}

const isLight = ([, member]: readonly [string, ResolvedMember]): boolean => "fields" in member || !member.isHeavy;

/** What a query brings, as a projection: its own, or the columns of its rows. */
export function projectionOfQuery({ source, projection, columns }: QueryState): Projection {
  if (projection !== undefined) return projection;
  const path = pathTo(source);
  const all = [...source.entity.members];
  const members = new Map(columns === undefined ? all.filter(isLight) : all.filter(([name]) => columns.includes(name)));
  return memberProjection(path, { fields: members, presence: undefined });
}

/**
 * The values that a query's projection gives, by the names that lead to them; none where it has no projection.
 * @internal
 */
export const fieldsOfQuery = ({ projection }: QueryState): ReadonlyMap<string, Node> =>
  projection === undefined || projection.kind === "rows" ? new Map() : fieldsOf(projection);

/** Whether a projection is of nothing but the one value that the rows of its source are. */
const isOwn = (projection: Projection, source: Source): boolean =>
  projection.kind === "value" &&
  projection.node.kind === "column" &&
  projection.node.path.source === source &&
  projection.node.column === singleOf(source.entity);

/** Whether a query is all rows of its source, as they are. */
const isPlain = ({ where, joins, groupBy, limit, offset, cursor, source, projection }: QueryState): boolean =>
  source.entity.derivation !== undefined &&
  where.length + joins.length === 0 &&
  groupBy === undefined &&
  limit === undefined &&
  offset === undefined &&
  cursor === undefined &&
  (projection === undefined || isOwn(projection, source));

/** A query's rows as a source; those of a source without a table, taken as they are, need no query around it. */
export function derivedSource(given: QueryState): Source {
  const query = filled(given);
  if (isPlain(query)) return { entity: query.source.entity };
  const projection = projectionOfQuery(query);
  const named = { ...query, projection };
  return { entity: derivedEntity(query.source.entity.table, [projection], { kind: "query", query: named }) };
}
