import { literalText, propertyText } from "./code.js";
import type { AdoptedEntity } from "./entities.js";
import type { AdoptedColumn } from "./indexes.js";
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

/** The source of a model. */
export function modelSource(
  entities: readonly { readonly adopted: AdoptedEntity; readonly relations: readonly RelationCode[] }[],
  name: string,
  collations: Readonly<Record<string, string>>,
  head: readonly string[],
): string {
  const imports = new Set(["entities", "entity", "model", "snakeCase"]);
  for (const { adopted, relations } of entities) {
    for (const { code } of adopted.columns) for (const one of code.imports) imports.add(one);
    for (const { call } of relations) imports.add(call);
    if (adopted.checks.length > 0) for (const one of ["sql", "boolean"]) imports.add(one);
  }
  const listed = [...imports].sort((left, right) => left.localeCompare(right, "en"));
  const line = `import { ${listed.join(", ")} } from "gemach";`;
  const importing =
    line.length <= most ? [line] : ["import {", ...listed.map((one) => `  ${one},`), '} from "gemach";'];
  const settings =
    Object.keys(collations).length === 0
      ? "{ columnNames: snakeCase }"
      : `{ columnNames: snakeCase, collations: ${literalText(collations)} }`;
  const constant = name.charAt(0).toLowerCase() + name.slice(1);
  return [
    ...importing,
    "",
    ...head.map((one) => `// ${one}`),
    `export class ${name} extends entities({`,
    ...entities.flatMap(({ adopted, relations }) => entityLines(adopted, relations)),
    "}) {}",
    `export const ${constant} = model(${name}, ${settings});`,
    "",
  ].join("\n");
}
