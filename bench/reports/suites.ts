import type { Rows } from "../engines.js";
import { derivedQuestions } from "./derived.js";
import type { Question } from "./question.js";
import { fillWarehouse } from "./warehouse.js";

/** Questions, and the rows that they are asked of. */
export const reportSuites: readonly (readonly [title: string, questions: readonly Question[], rows: Rows])[] = [
  ["Derived from the queries of TPC-H", derivedQuestions, fillWarehouse],
];
