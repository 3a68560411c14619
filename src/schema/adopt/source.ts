import { literalText, propertyText } from "./code.js";
import type { AdoptedEntity } from "./entities.js";
import type { AdoptedColumn } from "./indexes.js";
import { propertyName } from "./names.js";
import type { RelationCode } from "./relations.js";

/** How wide a line is before it is broken. */
const most = 120;

const commentLines = (comment: string | undefined, indent: string): readonly string[] => {
  if (comment === undefined) return [];
  const lines = comment.replaceAll("*/", "* /").trim().split(/\r?\n/);
  return lines.length === 1
    ? [`${indent}/** ${lines[0]} */`]
    : [`${indent}/**`, ...lines.map((line) => `${indent} * ${line}`.trimEnd()), `${indent} */`];
};

const remarkLines = (remarks: readonly string[], indent: string): readonly string[] =>
  remarks.map((remark) => `${indent}// ${remark.replaceAll(/\s+/g, " ")}`);

/** A column in the notation of a model: `due: date.nullable,`. */
export const columnLines = ({ property, code, comment }: AdoptedColumn, indent = ""): readonly string[] => [
  ...commentLines(comment, indent),
  ...remarkLines(code.remarks, indent),
  `${indent}${propertyText(property)}: ${code.text},`,
];

/** A relation in the notation of a model. */
export const relationLine = ({ name, call, target, options }: RelationCode, indent = ""): string =>
  `${indent}${propertyText(name)}: ${call}(${JSON.stringify(target)}, ${literalText(options)}),`;

const templateText = (text: string): string =>
  text.replaceAll("\\", "\\\\").replaceAll("`", "\\`").replaceAll("${", "\\${");

function optionLines({ layout, indexes, checks, isKeyless }: AdoptedEntity, indent: string): readonly string[] {
  const lines: string[] = [];
  if (layout.schema !== undefined) lines.push(`${indent}schema: ${JSON.stringify(layout.schema)},`);
  if (layout.kind === "view") lines.push(`${indent}readOnly: true,`);
  if (isKeyless) lines.push(`${indent}withoutKey: true,`);
  if (indexes.length > 0) {
    const one = `${indent}indexes: [${indexes.map((index) => literalText(index)).join(", ")}],`;
    if (one.length <= most) lines.push(one);
    else
      lines.push(`${indent}indexes: [`, ...indexes.map((index) => `${indent}  ${literalText(index)},`), `${indent}],`);
  }
  if (checks.length > 0)
    lines.push(
      `${indent}checks: () => ({`,
      ...checks.map(({ name, text }) => `${indent}  ${propertyText(name)}: sql(boolean)\`${templateText(text)}\`,`),
      `${indent}}),`,
    );
  return lines;
}

/** An entity in the notation of a model. */
export function entityLines(
  adopted: AdoptedEntity,
  relations: readonly RelationCode[],
  indent = "  ",
): readonly string[] {
  const inner = `${indent}    `;
  const options = optionLines(adopted, inner);
  const hasMore = relations.length > 0 || options.length > 0;
  return [
    ...commentLines(adopted.layout.comment, indent),
    ...remarkLines(adopted.remarks, indent),
    `${indent}${propertyText(adopted.entity)}: entity(`,
    `${indent}  ${JSON.stringify(adopted.layout.table)},`,
    `${indent}  {`,
    ...adopted.columns.flatMap((column) => columnLines(column, inner)),
    `${indent}  },`,
    ...(relations.length > 0
      ? [`${indent}  {`, ...relations.map((relation) => relationLine(relation, inner)), `${indent}  },`]
      : hasMore
        ? [`${indent}  {},`]
        : []),
    ...(options.length > 0 ? [`${indent}  {`, ...options, `${indent}  },`] : []),
    `${indent}),`,
  ];
}

/** An entity with its relations. */
interface Adopted {
  readonly adopted: AdoptedEntity;
  readonly relations: readonly RelationCode[];
}

/** The lines that import what the code of entities uses, and more. */
function importLines(entities: readonly Adopted[], further: readonly string[]): readonly string[] {
  const imports = new Set(further);
  for (const { adopted, relations } of entities) {
    imports.add("entity");
    for (const { code } of adopted.columns) for (const one of code.imports) imports.add(one);
    for (const { call } of relations) imports.add(call);
    if (adopted.checks.length > 0) for (const one of ["sql", "boolean"]) imports.add(one);
  }
  const listed = [...imports].sort((left, right) => left.localeCompare(right, "en"));
  const line = `import { ${listed.join(", ")} } from "gemach";`;
  return line.length <= most ? [line] : ["import {", ...listed.map((one) => `  ${one},`), '} from "gemach";'];
}

const lowered = (name: string): string => name.charAt(0).toLowerCase() + name.slice(1);

/** The lines that make the model of a class of entities. */
function modelLines(name: string, parts: readonly string[], collations: Readonly<Record<string, string>>) {
  const settings =
    Object.keys(collations).length === 0
      ? "{ columnNames: snakeCase }"
      : `{ columnNames: snakeCase, collations: ${literalText(collations)} }`;
  return [
    `export class ${name} extends entities({`,
    ...parts,
    "}) {}",
    `export const ${lowered(name)} = model(${name}, ${settings});`,
    "",
  ];
}

const usual = ["entities", "model", "snakeCase"];

/** The source of a model. */
export const modelSource = (
  entities: readonly Adopted[],
  name: string,
  collations: Readonly<Record<string, string>>,
  head: readonly string[],
): string =>
  [
    ...importLines(entities, usual),
    "",
    ...head.map((one) => `// ${one}`),
    ...modelLines(
      name,
      entities.flatMap(({ adopted, relations }) => entityLines(adopted, relations)),
      collations,
    ),
  ].join("\n");

/** The same as a module for each schema, by their names, and one of all of them, whose name is empty. */
export function schemaSources(
  entities: readonly Adopted[],
  name: string,
  collations: Readonly<Record<string, string>>,
  head: readonly string[],
): ReadonlyMap<string, string> {
  const sources = new Map<string, string>();
  const schemas = [...new Set(entities.map(({ adopted }) => adopted.layout.schema))];
  const modules = schemas.map((schema) => ({ schema, file: schema ?? "own", constant: propertyName(schema ?? "own") }));
  for (const { schema, file, constant } of modules) {
    const own = entities.filter(({ adopted }) => adopted.layout.schema === schema);
    const lines = own.flatMap(({ adopted, relations }) => entityLines(adopted, relations));
    const source = [
      ...importLines(own, []),
      "",
      ...head.map((one) => `// ${one}`),
      `export const ${constant} = {`,
      ...lines,
      "};",
      "",
    ];
    sources.set(file, source.join("\n"));
  }
  const imports = modules.map(({ file, constant }) => `import { ${constant} } from "./${file}.js";`);
  const parts = modules.map(({ constant }) => `  ...${constant},`);
  sources.set("", [...importLines([], usual), ...imports, "", ...modelLines(name, parts, collations)].join("\n"));
  return sources;
}
