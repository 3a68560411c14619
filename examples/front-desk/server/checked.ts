import { sValidator } from "@hono/standard-validator";
import { fieldsInvalid } from "./problems.js";

type Schema = Parameters<typeof sValidator>[1];
type Target = "json" | "query" | "param";

/**
 * Checks a part of a request by a Standard Schema: one of the model's, or any other. What breaks it is a problem, field
 * by field.
 */
export const checked = <S extends Schema, T extends Target>(target: T, schema: S) =>
  sValidator(target, schema, (result) => {
    if (!result.success) throw fieldsInvalid(result.error);
  });
