import { checked, type ValueType } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { constantNode, type jsonCalls, type Node } from "../ir/index.js";
import { type Built, call } from "./built.js";

/** The way to a part of a document, as a list of names and positions in JSON. */
function wayOf(way: readonly unknown[]): Node {
  for (const step of way)
    if (typeof step !== "string" && !(Number.isSafeInteger(step) && (step as number) >= 0))
      throw new GemachError("VALUE_UNFIT", {
        column: "the way into a document",
        expected: "names, and positions from 0",
        got: "something else",
      });
  return constantNode(checked(way, { kind: "json" }, "the way into a document"), { kind: "json" });
}

const part = (name: keyof typeof jsonCalls, type: ValueType) =>
  function (this: Built, ...way: readonly unknown[]): Built {
    return call(this, name, ["json"], [wayOf(way)], type, true);
  };

/** Methods of JSON documents. */
export const documentMethods = {
  textAt: part("jsonText", { kind: "text" }),
  numberAt: part("jsonNumber", { kind: "double" }),
  truthAt: part("jsonTruth", { kind: "boolean" }),
};
