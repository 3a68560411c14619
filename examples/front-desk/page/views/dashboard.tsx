import { BarChart } from "@mantine/charts";
import { Card, SimpleGrid, Stack, Table, Text, Title } from "@mantine/core";
import type { ReactNode } from "react";
import { answer, api } from "../api.js";
import { Failed, Loading, Nothing } from "../parts/states.js";
import { useView } from "../parts/use-view.js";

interface Column<R> {
  readonly label: string;
  readonly of: (row: R) => ReactNode;
  readonly isNumber?: boolean;
}

/** Figures in rows; the first column says what each row is of. */
function Figures<R>({
  title,
  rows,
  columns,
}: {
  readonly title: string;
  readonly rows: readonly R[];
  readonly columns: readonly Column<R>[];
}) {
  return (
    <Card withBorder>
      <Title order={3} size="h5" mb="xs">
        {title}
      </Title>
      <Table>
        <Table.Thead>
          <Table.Tr>
            {columns.map(({ label, isNumber }) => (
              <Table.Th scope="col" key={label} ta={isNumber === true ? "right" : "left"}>
                {label}
              </Table.Th>
            ))}
          </Table.Tr>
        </Table.Thead>
        <Table.Tbody>
          {rows.map((row) => (
            <Table.Tr key={columns.map(({ of }) => String(of(row))).join()}>
              {columns.map(({ label, of, isNumber }) => (
                <Table.Td key={label} ta={isNumber === true ? "right" : "left"}>
                  {of(row)}
                </Table.Td>
              ))}
            </Table.Tr>
          ))}
        </Table.Tbody>
      </Table>
    </Card>
  );
}

const monthLabel = (month: string): string => month.slice(0, 7);

/** The society in figures. */
export function DashboardView() {
  const { shown, isPending, error, refetch } = useView(["dashboard"], (way) => answer(api(way).dashboard.$get()));
  if (isPending) return <Loading what="the figures" />;
  if (error !== null) return <Failed error={error} again={refetch} />;
  if (shown === undefined || shown.months.length === 0) return <Nothing>Nothing has been lent yet.</Nothing>;
  const last = shown.months.at(-1);
  return (
    <Stack>
      <Title order={2} size="h3">
        Figures
      </Title>
      <Text>
        {last?.total ?? 0} loans in all; {shown.overdue} of them are overdue.
      </Text>
      <Card withBorder>
        <Title order={3} size="h5" mb="xs" id="by-month">
          Loans by month
        </Title>
        <BarChart
          h={200}
          data={shown.months.map(({ month, loans }) => ({ month: monthLabel(month), loans }))}
          dataKey="month"
          series={[{ name: "loans", color: "teal.8" }]}
          withBarValueLabel
          valueLabelProps={{ position: "top" }}
          barChartProps={{ accessibilityLayer: false }}
          role="img"
          aria-label={`Loans by month: ${shown.months.map(({ month, loans }) => `${monthLabel(month)} ${loans}`).join(", ")}`}
        />
      </Card>
      <SimpleGrid cols={{ base: 1, md: 2 }}>
        <Figures
          title="Depots"
          rows={shown.depots}
          columns={[
            { label: "Depot", of: ({ name }) => name },
            { label: "Things", of: ({ items }) => items, isNumber: true },
            { label: "Out", of: ({ out }) => out, isNumber: true },
            { label: "Repairs, €", of: ({ spent }) => spent, isNumber: true },
          ]}
        />
        <Figures
          title="Kinds"
          rows={shown.categories}
          columns={[
            { label: "Kind", of: ({ name }) => name },
            { label: "Loans", of: ({ loans }) => loans, isNumber: true },
            { label: "Out", of: ({ open }) => open, isNumber: true },
          ]}
        />
        <Figures
          title="The newest loan of each depot"
          rows={shown.newest}
          columns={[
            { label: "Depot", of: ({ depot }) => depot },
            { label: "Thing", of: ({ item }) => item },
            { label: "Borrower", of: ({ borrower }) => borrower },
            { label: "Lent", of: ({ lent }) => lent },
          ]}
        />
      </SimpleGrid>
    </Stack>
  );
}
