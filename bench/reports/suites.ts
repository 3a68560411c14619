import type { Rows } from "../engines.js";
import { society } from "../jobs.js";
import { derivedQuestions } from "./derived.js";
import { practiceQuestions } from "./practice.js";
import type { Question } from "./question.js";
import { fillWarehouse } from "./warehouse.js";

/** Questions, and the rows that they are asked of. */
export const reportSuites: readonly (readonly [title: string, questions: readonly Question[], rows: Rows])[] = [
  ["Derived from the queries of TPC-H", derivedQuestions, (db) => fillWarehouse(db, 3)],
  ["Practice: reports of the lending society", practiceQuestions, society()],
];
