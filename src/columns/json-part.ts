/**
 * Returns the value at the end of a path of a JSON document, where it is of a type, else null. A name leads into an
 * object, a number into a list. Both are texts of JSON.
 */
export function jsonPart(document: string, way: string, type: string): string | number | boolean | null {
  let at: unknown = JSON.parse(document);
  for (const step of JSON.parse(way) as readonly (string | number)[]) {
    if (typeof at !== "object" || at === null || Array.isArray(at) !== (typeof step === "number")) return null;
    at = Object.hasOwn(at, step) ? (at as Record<string | number, unknown>)[step] : undefined;
  }
  return (typeof at as string) === type ? (at as string | number | boolean) : null;
}
