// Plugins of the build for what every program loads, so that V8 reads it faster (measured on Node 20): importing all of the core takes a sixth
// less. Other files stay as they are; the demo shows code of its own.
import MagicString from "magic-string";
import { minifySync } from "rolldown/experimental";
import { parseAst } from "rolldown/parseAst";

/** The files that programs load. */
const isLoaded = ({ name }) => /^(core|work|inspecting|on-demand|sqlite|postgres|mariadb)$/.test(name);

const isNode = (value) => typeof value === "object" && value !== null && typeof value.type === "string";
const childrenOf = (node) => Object.values(node).flat().filter(isNode);

/** Whether something in an arrow function is that of the function around it. */
const borrows = (node) =>
  node.type === "ThisExpression" ||
  node.type === "Super" ||
  node.type === "MetaProperty" ||
  (node.type === "Identifier" && node.name === "arguments") ||
  childrenOf(node).some(borrows);

function* topArrows(node) {
  if (node.type === "ArrowFunctionExpression") {
    if (!node.async && !borrows(node)) yield node;
  } else if (!/^Function(Declaration|Expression)$/.test(node.type))
    for (const child of childrenOf(node)) yield* topArrows(child);
}

/** Arrow functions at the top of a module become function expressions; those inside of functions stay, since making one at run time takes less. */
const functions = {
  name: "functions",
  renderChunk(code, chunk) {
    if (!isLoaded(chunk)) return null;
    const text = new MagicString(code);
    for (const arrow of topArrows(parseAst(code))) {
      const { start, end, params, body } = arrow;
      if (code[start] === "(") text.appendLeft(start, "function");
      else text.appendLeft(start, "function(").appendRight(params[0].end, ")");
      const at = code.lastIndexOf("=>", body.start);
      if (body.type === "BlockStatement") text.remove(at, at + 2);
      else text.overwrite(at, at + 2, "{ return (").appendLeft(end, "); }");
    }
    return { code: text.toString(), map: text.generateMap({ hires: true }) };
  },
};

/** Without comments, white space and long names inside of functions; functions and classes keep their names, for stacks. */
const shortened = {
  name: "shortened",
  renderChunk(code, chunk) {
    if (!isLoaded(chunk)) return null;
    const made = minifySync(chunk.fileName, code, {
      module: true,
      compress: false,
      mangle: { toplevel: true, keepNames: { function: true, class: true } },
      codegen: { removeWhitespace: true },
      sourcemap: true,
    });
    if (made.errors.length > 0) throw new Error(made.errors[0].message);
    return { code: made.code, map: made.map };
  },
};

export const quick = [functions, shortened];
