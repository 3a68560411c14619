import { stringText } from "./code.js";
import { oneLine, visibleLines } from "./visible.js";

/** A remark of one line of SQL. */
export const sqlRemark = (text: string): string => `-- ${oneLine(text)}`;

const indent = "--   ";

/** Lines of SQL as remarks; as one line of a JSON text where a line of it would end elsewhere than it does here. */
export const quotedSql = (sql: string): readonly string[] =>
  visibleLines(sql) === sql ? sql.split("\n").map((line) => `${indent}${line}`) : [`${indent}${stringText(sql)}`];

/** Whether a line is one of these. */
export const isQuotedSql = (line: string): boolean => line.startsWith(indent);

/** The SQL of such lines. No statement begins with a quotation mark. */
export function unquotedSql(lines: readonly string[]): string {
  const text = lines.map((line) => line.slice(indent.length)).join("\n");
  return text.startsWith('"') ? (JSON.parse(text) as string) : text;
}
