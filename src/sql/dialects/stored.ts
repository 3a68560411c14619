import type { ValueType } from "../../columns/index.js";
import type { DialectName } from "./dialect.js";

/** A type of an engine's own in which a column is stored, and how values go into it and come out of it. */
export interface Stored {
  readonly type: string;
  readonly read?: string;
  readonly write?: string;
}

/** How an engine stores values of a type, where that is in a type of its own. */
export function storedIn({ stored }: ValueType, dialect: DialectName): Stored | undefined {
  const form = stored?.[dialect];
  return typeof form === "string" ? { type: form } : form;
}

/** A value's text, or what a form makes of it. */
export const inForm = (form: string | undefined, text: string): string =>
  form === undefined ? text : form.replaceAll("?", () => text);
