/**
 * The operation of a statement on rows. `own`: a user wrote it, so that only its text shows it; `other`: a definition,
 * a setting, the begin or end of a transaction.
 */
export type Operation = "select" | "insert" | "update" | "delete" | "own" | "other";

/**
 * Returns the operation of a user's statement: a select only if no word in it, outside of texts, names and comments,
 * may change rows.
 */
function operationIn(text: string): Operation {
  // Engines differ in whether a backslash is part of a text or begins an escape: where that text ends is not certain.
  const apart = /'[^']*'|"[^"]*"|`[^`]*`|--.*|\/\*[\s\S]*?\*\/|\$(\w*)\$[\s\S]*?\$\1\$|\bfor (no key )?update\b/gi;
  const words = text.includes("\\")
    ? []
    : text
        .replace(apart, " ")
        .toLowerCase()
        .match(/[a-z_]+/g);
  const changing = words?.find((word) => /^(insert|update|delete|merge|into)$/.test(word));
  if (changing === "insert" || changing === "update" || changing === "delete") return changing;
  return changing === undefined && /^(select|with|values|table)$/.test(words?.[0] ?? "") ? "select" : "other";
}

/** Returns the operation of a statement that is sent; of the library's own its tree has shown it. */
export const operationOf = (text: string, { operation }: { readonly operation: Operation }): Operation =>
  operation === "own" ? operationIn(text) : operation;
