import { codeRemark, fileName, isConstant, literalText } from "../../written/index.js";
import type { AdoptedEntity } from "./entities.js";
import { entityName, freeName, propertyName } from "./names.js";
import type { RelationCode } from "./relations.js";
import { entityLines, mostOfLine } from "./source.js";

/** An entity with its relations. */
interface Adopted {
  readonly adopted: AdoptedEntity;
  readonly relations: readonly RelationCode[];
}

/** What the code of entities imports, and more. */
function importsOf(entities: readonly Adopted[], others: readonly string[]): ReadonlySet<string> {
  const imports = new Set(others);
  for (const { adopted, relations } of entities) {
    imports.add("entity");
    for (const { code } of adopted.columns) for (const one of code.imports) imports.add(one);
    for (const { call } of relations) imports.add(call);
    if (adopted.checks.length > 0) for (const one of ["sql", "boolean"]) imports.add(one);
  }
  return imports;
}

function importLines(imports: ReadonlySet<string>): readonly string[] {
  const listed = [...imports].sort((left, right) => left.localeCompare(right, "en"));
  const line = `import { ${listed.join(", ")} } from "gemach";`;
  return line.length <= mostOfLine ? [line] : ["import {", ...listed.map((one) => `  ${one},`), '} from "gemach";'];
}

/** A name for a constant or a class that none of those taken is, nor a word of the language. */
function constantName(wanted: string, taken: ReadonlySet<string>): string {
  const usable = isConstant(wanted) ? wanted : `${wanted}Part`;
  return freeName(usable, taken, `${usable}Part`);
}

/** The lines that make the model of a class of entities. */
function modelLines(
  wanted: string,
  parts: readonly string[],
  collations: Readonly<Record<string, string>>,
  taken: ReadonlySet<string>,
) {
  const name = constantName(isConstant(wanted) ? wanted : entityName(wanted), taken);
  const constant = constantName(name.charAt(0).toLowerCase() + name.slice(1), new Set([...taken, name]));
  const settings =
    Object.keys(collations).length === 0
      ? "{ columnNames: snakeCase }"
      : `{ columnNames: snakeCase, collations: ${literalText(collations)} }`;
  return [
    `export class ${name} extends entities({`,
    ...parts,
    "}) {}",
    `export const ${constant} = model(${name}, ${settings});`,
    "",
  ];
}

const usual = ["entities", "model", "snakeCase"];

/** The source of a model. */
export function modelSource(
  entities: readonly Adopted[],
  name: string,
  collations: Readonly<Record<string, string>>,
  head: readonly string[],
): string {
  const imports = importsOf(entities, usual);
  const parts = entities.flatMap(({ adopted, relations }) => entityLines(adopted, relations));
  return [...importLines(imports), "", ...head.map(codeRemark), ...modelLines(name, parts, collations, imports)].join(
    "\n",
  );
}

/** A name that no other has yet, also where letter case makes no difference. */
function free(wanted: string, otherwise: string, taken: Set<string>): string {
  const name = freeName(wanted === "" ? otherwise : wanted, taken, `${wanted}-${otherwise}`);
  taken.add(name);
  return name;
}

/**
 * Writes a module for each schema, by the name of its file, and one of all of them under the name "". `own`: the
 * name of the latter's file, which no other takes.
 */
export function schemaSources(
  entities: readonly Adopted[],
  name: string,
  collations: Readonly<Record<string, string>>,
  head: readonly string[],
  own: string,
): ReadonlyMap<string, string> {
  const sources = new Map<string, string>();
  const files = new Set([own.toLowerCase()]);
  const constants = new Set(importsOf(entities, usual));
  const modules = [...new Set(entities.map(({ adopted }) => adopted.layout.schema))].map((schema) => {
    const constant = constantName(propertyName(schema ?? "own"), constants);
    constants.add(constant);
    return { schema, file: free(fileName(schema ?? "own"), "schema", files), constant };
  });
  for (const { schema, file, constant } of modules) {
    const inside = entities.filter(({ adopted }) => adopted.layout.schema === schema);
    const lines = inside.flatMap(({ adopted, relations }) => entityLines(adopted, relations));
    const source = [
      ...importLines(importsOf(inside, [])),
      "",
      ...head.map(codeRemark),
      `export const ${constant} = {`,
      ...lines,
      "};",
      "",
    ];
    sources.set(file, source.join("\n"));
  }
  const imports = modules.map(({ file, constant }) => `import { ${constant} } from "./${file}.js";`);
  const parts = modules.map(({ constant }) => `  ...${constant},`);
  const taken = new Set([...usual, ...modules.map(({ constant }) => constant)]);
  sources.set(
    "",
    [...importLines(new Set(usual)), ...imports, "", ...modelLines(name, parts, collations, taken)].join("\n"),
  );
  return sources;
}
