import type { AnyDatabase } from "../database/index.js";
import { expectOptions } from "../errors/index.js";
import {
  type Accepted,
  type Finder,
  type Finding,
  findingsOf,
  type LedgerStatement,
  type Thresholds,
  usualThresholds,
} from "../findings/index.js";
import type { Query } from "../ir/index.js";
import { stateOf } from "../query/index.js";
import { type CallSite, connectionOf, type ExplainedStatement } from "../run/index.js";

/** Options of an audit. */
export interface AuditOptions {
  /** From when on something is a finding, where that is not the usual. */
  readonly thresholds?: Partial<Thresholds>;
  /** Findings that are meant, with the reason. */
  readonly accepts?: readonly Accepted[];
  /** Finders of further kinds. */
  readonly finders?: readonly Finder[];
  /** The line of code that a finding is told of, such as that of the query. */
  readonly at?: CallSite;
}

/** The result of the audit of one query. */
export interface QueryAudit {
  readonly statements: readonly LedgerStatement[];
  readonly findings: readonly Finding[];
  readonly accepted: readonly Finding[];
}

/** How long the database may take to count a query's rows, in milliseconds. */
const mostToCount = 5000;

/** Audits a query; see `audit`. */
export async function auditOf(db: AnyDatabase, query: Query, options: AuditOptions): Promise<QueryAudit> {
  expectOptions("audit", options, ["thresholds", "accepts", "finders", "at"]);
  const explained = await db.explain(query);
  const first = recorded(db, query, explained, options, 0);
  if (first.findings.length + first.accepted.length === 0) return first;
  const { limit } = stateOf(query, "audit");
  const count = db.count(query, { timeLimit: mostToCount }).catch(() => 0);
  const rows = Math.min(await count, limit ?? Number.POSITIVE_INFINITY);
  return recorded(db, query, explained, options, rows);
}

function recorded(
  db: AnyDatabase,
  query: Query,
  explained: readonly ExplainedStatement[],
  { thresholds, accepts = [], finders = [], at }: AuditOptions,
  rows: number,
): QueryAudit {
  const statements = explained.map((one, i): LedgerStatement => {
    const { text, select, parameters, origin, plan } = one;
    return {
      ...{ text, parameters, plan, ...(select === undefined ? {} : { select }) },
      origin: { ...origin, verb: "explain", query, at },
      ...{ started: 0, milliseconds: 0, waiting: 0, failed: false, bytes: 0 },
      rows: i === 0 ? rows : 0,
      owners: i === 0 ? rows : 0,
    };
  });
  const { dialect } = connectionOf(db, "audit");
  const record = {
    ...{ statements, transactions: [], reads: [], dialect },
    thresholds: { ...usualThresholds, ...thresholds },
  };
  return { statements, ...findingsOf(record, finders, accepts) };
}
