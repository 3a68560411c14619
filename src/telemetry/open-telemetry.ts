import type { AnyDatabase } from "../database/index.js";
import { watchStatements } from "../ledger/index.js";
import type { BegunStatement } from "../run/index.js";
import { operationOf } from "../sql/index.js";

type Attributes = Record<string, string | number>;

interface Span {
  setAttributes(attributes: Attributes): unknown;
  setStatus(status: { code: number }): unknown;
  end(): void;
}

interface Histogram {
  record(value: number, attributes?: Attributes): void;
}

/**
 * The part of `@opentelemetry/api` that is used, which the caller hands over: `import as api from
 * "@opentelemetry/api"`.
 */
export interface TelemetryApi {
  readonly trace: {
    getTracer(name: string): {
      startSpan(name: string, options: { kind: number; attributes: Attributes }): Span;
    };
  };
  readonly metrics: {
    getMeter(name: string): {
      createHistogram(
        name: string,
        options: { description: string; unit: string; advice?: { explicitBucketBoundaries: number[] } },
      ): Histogram;
    };
  };
  readonly SpanKind: { readonly CLIENT: number };
  readonly SpanStatusCode: { readonly ERROR: number };
}

/** What the conventions call the engines. */
const systems = { sqlite: "sqlite", postgres: "postgresql", mariadb: "mariadb" } as const;

/** Bounds of times in seconds, as the conventions advise. */
const bounds = [0.001, 0.005, 0.01, 0.05, 0.1, 0.5, 1, 5, 10];

/**
 * Tells OpenTelemetry of every statement of a database: a span, and metrics of times and of rows, by the semantic
 * conventions for database clients (`db.system.name`, `db.query.text`, …). No values are told; the text holds none.
 * @param api `@opentelemetry/api`, as the program has it.
 * @returns the function that ends it.
 */
export function openTelemetry(db: AnyDatabase, api: TelemetryApi): () => void {
  const tracer = api.trace.getTracer("gemach");
  const meter = api.metrics.getMeter("gemach");
  const durations = meter.createHistogram("db.client.operation.duration", {
    description: "Duration of database client operations.",
    unit: "s",
    advice: { explicitBucketBoundaries: bounds },
  });
  const rows = meter.createHistogram("db.client.response.returned_rows", {
    description: "The actual number of records returned by the database operation.",
    unit: "{row}",
  });
  const system = systems[db.dialect.name];
  const attributesOf = ({ text, origin }: BegunStatement) => {
    const { entity } = origin;
    // What is no statement about rows is named by its first word.
    const known = operationOf(text, origin);
    const operation = known === "other" ? (/\w+/.exec(text)?.[0].toLowerCase() ?? "") : known;
    return {
      "db.system.name": system,
      "db.operation.name": operation,
      "db.query.summary": [operation, entity].filter((part) => part !== undefined).join(" "),
      ...(entity === undefined ? {} : { "db.collection.name": entity }),
    };
  };
  const spans = new WeakMap<object, Span>();
  return watchStatements(db, {
    begins: (statement) => {
      const { text, select, origin } = statement;
      const attributes = attributesOf(statement);
      const { at, verb, relation } = origin;
      const span = tracer.startSpan(attributes["db.query.summary"], {
        kind: api.SpanKind.CLIENT,
        attributes: {
          ...attributes,
          "db.query.text": select ?? text,
          "gemach.verb": verb,
          ...(relation === undefined ? {} : { "gemach.relation": relation }),
          ...(at === undefined ? {} : { "code.file.path": at.file, "code.line.number": at.line }),
        },
      });
      spans.set(origin, span);
    },
    ends: (statement) => {
      const attributes = attributesOf(statement);
      const span = spans.get(statement.origin);
      if (statement.failed) span?.setStatus({ code: api.SpanStatusCode.ERROR });
      else span?.setAttributes({ "db.response.returned_rows": statement.rows });
      span?.end();
      durations.record(statement.milliseconds / 1000, attributes);
      if (!statement.failed) rows.record(statement.rows, attributes);
    },
  });
}
