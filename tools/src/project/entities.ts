import type { Dialect } from "gemach";
import {
  describeTables,
  entitiesOf,
  isModel,
  layOutAll,
  type ResolvedEntity,
  type TableLayout,
  toolError,
} from "gemach/tooling";
import type { Project } from "./load.js";

/** Every entity that the project's module with the model exports. */
export function entitiesIn({ model = {} }: Pick<Project, "model">): readonly ResolvedEntity[] {
  const exported = [model, ...Object.values(model)].filter(isModel).flatMap(entitiesOf);
  return [...new Set(exported)];
}

/**
 * The tables of a project's model, as an engine is to have them.
 * @throws GemachError `MODEL_NEEDED`
 */
export function tablesOfModel(project: Pick<Project, "model">, dialect: Dialect): readonly TableLayout[] {
  const entities = entitiesIn(project);
  if (entities.length === 0) throw toolError("MODEL_NEEDED", {});
  return layOutAll(describeTables(entities), dialect).map(({ table }) => table);
}

/** The schemas that tables are in, and the one that a connection sees without naming it. */
export const schemasOf = (
  tables: readonly { readonly schema: string | undefined }[],
): readonly (string | undefined)[] => [...new Set([undefined, ...tables.map(({ schema }) => schema)])];
