import {
  bigint,
  boolean,
  choice,
  date,
  double,
  entity,
  identity,
  integer,
  isoTimestamp,
  model,
  numeric,
  type PlainRowOf,
  text,
  time,
} from "../../src/index.js";

/** An entity with a column of each kind that expressions work on, twice where one may be missing. */
export const probes = model({
  Probe: entity("probe", {
    id: identity,
    a: integer,
    b: integer.nullable,
    g: bigint,
    x: double,
    y: double.nullable,
    p: numeric(12, 3),
    q: numeric(8, 2).nullable,
    s: text,
    t: text.nullable,
    c: choice("new", "used", "worn"),
    d: date,
    e: date.nullable,
    m: isoTimestamp,
    h: time.nullable,
    f: boolean,
  }),
});

export const { Probe } = probes;
export type ProbeRow = PlainRowOf<typeof Probe>;

type Values = Omit<ProbeRow, "id">;

const row = (id: number, values: Values): ProbeRow => ({ id, ...values });

/** Few rows, chosen for their edges. */
export const probeRows: readonly ProbeRow[] = [
  row(1, {
    ...{ a: 7, b: 2, g: 9_007_199_254_740_993n, x: 2.5, y: -0.5, p: "12.500", q: "0.10", s: "Drill", t: "drill", c: "new" },
    ...{ d: "2026-05-01", e: "2026-05-31", m: "2026-05-01T23:59:59.999999Z", h: "08:30:00", f: true },
  }),
  row(2, {
    ...{ a: -7, b: 0, g: -5n, x: -2.5, y: 0, p: "-0.005", q: "-99.99", s: "", t: "", c: "used" },
    ...{ d: "2024-02-29", e: "2024-02-28", m: "2024-02-29T00:00:00.000000Z", h: "23:59:59.5", f: false },
  }),
  row(3, {
    ...{ a: 0, b: null, g: 0n, x: 0, y: null, p: "0.000", q: null, s: "50% off_now \\ [x]*?", t: null, c: "worn" },
    ...{ d: "2026-01-01", e: null, m: "1999-12-31T12:30:15.000001Z", h: null, f: false },
  }),
  row(4, {
    ...{ a: 2_147_483_600, b: -3, g: 4_611_686_018_427_387_904n, x: 1e15, y: 0.1, p: "999999999.999", q: "99.99", s: "Élan Ǆ straße", t: "ÉLAN", c: "new" },
    ...{ d: "9999-12-31", e: "0001-01-01", m: "0001-01-01T00:00:00.000000Z", h: "00:00:00", f: true },
  }),
  row(5, {
    ...{ a: 3, b: 3, g: 3n, x: 3, y: 3, p: "3.000", q: "3.00", s: " 🔧 tool ", t: "tool", c: "used" },
    ...{ d: "2026-12-31", e: "2027-01-01", m: "2026-12-31T08:00:00.500000Z", h: "12:00:00", f: true },
  }),
  row(6, {
    ...{ a: 10, b: -4, g: 10n, x: 0.1, y: 0.2, p: "10.125", q: "2.50", s: "a'b\"c`d;--", t: "A", c: "worn" },
    ...{ d: "2025-08-17", e: "2025-08-18", m: "2025-08-17T17:45:30.250000Z", h: "17:45:30", f: false },
  }),
];
