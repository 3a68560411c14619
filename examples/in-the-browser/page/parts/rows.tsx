import { Button, Text } from "@mantine/core";
import { DataTable, type DataTableColumn } from "mantine-datatable";
import { useState } from "react";

type Row = Readonly<Record<string, unknown>>;

const isObject = (value: unknown): value is Row =>
  typeof value === "object" &&
  value !== null &&
  !Array.isArray(value) &&
  !(value instanceof Date) &&
  !(value instanceof Uint8Array);

/** A value as a cell shows it. */
function shown(value: unknown): string {
  if (value === null || value === undefined) return "none";
  if (value instanceof Date) return value.toISOString();
  if (value instanceof Uint8Array) return `${value.length} bytes`;
  return String(value);
}

/** To-one relations stand beside their owner's columns, by their path: "depot.name". */
function flat(row: unknown, path = ""): Row {
  if (!isObject(row)) return { value: row };
  return Object.assign(
    {},
    ...Object.entries(row).map(([name, value]) =>
      isObject(value) ? flat(value, `${path}${name}.`) : { [`${path}${name}`]: value },
    ),
  ) as Row;
}

/** Rows in a grid; lists that are nested in them are folded, and open below their row. */
export function Rows({ rows }: { readonly rows: readonly unknown[] }) {
  const [open, setOpen] = useState<readonly number[]>([]);
  const records = rows.map((row, number) => ({ ...flat(row), "#": number }));
  const names = [...new Set(records.flatMap((record) => Object.keys(record)))].filter((name) => name !== "#");
  const isList = (name: string) => records.some((record) => Array.isArray((record as Row)[name]));
  const lists = names.filter(isList);
  const columns: DataTableColumn<Row & { "#": number }>[] = names.map((name) => ({
    accessor: name,
    title: name,
    noWrap: !isList(name),
    textAlign: records.every((record) => typeof (record as Row)[name] === "number") ? "right" : "left",
    render: (record) => {
      const value = record[name];
      if (!Array.isArray(value)) return shown(value);
      const number = record["#"];
      const isOpen = open.includes(number);
      const toggle = () => setOpen(isOpen ? open.filter((one) => one !== number) : [...open, number]);
      return value.length === 0 ? (
        "no rows"
      ) : (
        <Button size="compact-xs" variant="default" aria-expanded={isOpen} onClick={toggle}>
          {value.length} {value.length === 1 ? "row" : "rows"} {isOpen ? "▾" : "▸"}
        </Button>
      );
    },
  }));
  return (
    <DataTable
      idAccessor="#"
      withTableBorder
      verticalSpacing={4}
      columns={columns}
      records={records}
      minHeight={records.length === 0 ? 120 : 0}
      noRecordsText="No rows"
      {...(lists.length > 0 && {
        rowExpansion: {
          allowMultiple: true,
          trigger: "never" as const,
          expanded: { recordIds: [...open], onRecordIdsChange: (ids: unknown[]) => setOpen(ids as number[]) },
          content: ({ record }: { record: Row }) => (
            <div style={{ padding: "4px 4px 12px 24px" }}>
              {lists.map((name) => (
                <div key={name}>
                  <Text size="sm" fw={600}>
                    {name}
                  </Text>
                  <Rows rows={(record[name] as readonly unknown[] | undefined) ?? []} />
                </div>
              ))}
            </div>
          ),
        },
      })}
    />
  );
}
