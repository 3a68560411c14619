import { codeRemark, docComment, literalText, propertyText, stringText, templateText } from "../../written/index.js";
import type { AdoptedEntity } from "./entities.js";
import type { AdoptedColumn } from "./indexes.js";
import type { RelationCode } from "./relations.js";

/** How wide a line is before it is broken. */
export const mostOfLine = 120;

const commentLines = (comment: string | undefined, indent: string): readonly string[] =>
  comment === undefined ? [] : docComment(comment).map((line) => `${indent}${line}`);

const remarkLines = (remarks: readonly string[], indent: string): readonly string[] =>
  remarks.map((remark) => `${indent}${codeRemark(remark)}`);

/** A column in the notation of a model: `due: date.nullable,`. */
export const columnLines = ({ property, code, comment }: AdoptedColumn, indent = ""): readonly string[] => [
  ...commentLines(comment, indent),
  ...remarkLines(code.remarks, indent),
  `${indent}${propertyText(property)}: ${code.text},`,
];

/** A relation in the notation of a model. */
export const relationLine = ({ name, call, target, options }: RelationCode, indent = ""): string =>
  `${indent}${propertyText(name)}: ${call}(${stringText(target)}, ${literalText(options)}),`;

function optionLines({ layout, indexes, checks, isKeyless }: AdoptedEntity, indent: string): readonly string[] {
  const lines: string[] = [];
  if (layout.schema !== undefined) lines.push(`${indent}schema: ${stringText(layout.schema)},`);
  if (layout.kind === "view") lines.push(`${indent}readOnly: true,`);
  if (isKeyless) lines.push(`${indent}withoutKey: true,`);
  if (indexes.length > 0) {
    const one = `${indent}indexes: [${indexes.map((index) => literalText(index)).join(", ")}],`;
    if (one.length <= mostOfLine) lines.push(one);
    else
      lines.push(`${indent}indexes: [`, ...indexes.map((index) => `${indent}  ${literalText(index)},`), `${indent}],`);
  }
  if (checks.length > 0)
    lines.push(
      `${indent}checks: () => ({`,
      ...checks.map(({ name, text }) => `${indent}  ${propertyText(name)}: sql(boolean)${templateText(text)},`),
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
    `${indent}  ${stringText(adopted.layout.table)},`,
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
