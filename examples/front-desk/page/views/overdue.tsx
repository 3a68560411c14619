import { Anchor, Button, Stack, Table, Title } from "@mantine/core";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "wouter";
import { answer, api } from "../api.js";
import { Further } from "../parts/further.js";
import { Failed, Loading, Nothing } from "../parts/states.js";
import { useView } from "../parts/use-view.js";

/** What should have come back, the longest overdue first. */
export function OverdueView() {
  const [place, setPlace] = useState<{ readonly after?: string; readonly before?: string }>({});
  const client = useQueryClient();
  const { shown, isPending, error, refetch } = useView(["overdue", place], (way) =>
    answer(api(way).overdue.$get({ query: place })),
  );
  const takeBack = useMutation({
    mutationFn: (id: number) => answer(api().loans[":id"].return.$post({ param: { id: String(id) } })),
    onSettled: () => client.invalidateQueries(),
  });
  return (
    <Stack>
      <Title order={2} size="h3">
        Overdue
      </Title>
      {isPending && <Loading what="what is overdue" />}
      {error !== null && <Failed error={error} again={refetch} />}
      {takeBack.isError && <Failed error={takeBack.error} />}
      {shown?.rows.length === 0 && <Nothing>Nothing is overdue.</Nothing>}
      {shown !== undefined && shown.rows.length > 0 && (
        <>
          <Table highlightOnHover>
            <Table.Thead>
              <Table.Tr>
                <Table.Th scope="col">Thing</Table.Th>
                <Table.Th scope="col">Depot</Table.Th>
                <Table.Th scope="col">Borrower</Table.Th>
                <Table.Th scope="col">Due</Table.Th>
                <Table.Th scope="col" ta="right">
                  Days
                </Table.Th>
                <Table.Th scope="col">Back</Table.Th>
              </Table.Tr>
            </Table.Thead>
            <Table.Tbody>
              {shown.rows.map(({ id, itemId, item, depot, borrower, due, days }) => (
                <Table.Tr key={id}>
                  <Table.Td style={{ overflowWrap: "anywhere" }}>
                    <Anchor component={Link} href={`/things/${itemId}`}>
                      {item}
                    </Anchor>
                  </Table.Td>
                  <Table.Td>{depot}</Table.Td>
                  <Table.Td>{borrower}</Table.Td>
                  <Table.Td>{due}</Table.Td>
                  <Table.Td ta="right">{days}</Table.Td>
                  <Table.Td>
                    <Button
                      size="compact-xs"
                      variant="default"
                      aria-label={`Take back ${item} from ${borrower}`}
                      onClick={() => takeBack.mutate(id)}
                    >
                      Take back
                    </Button>
                  </Table.Td>
                </Table.Tr>
              ))}
            </Table.Tbody>
          </Table>
          <Further at={shown} go={setPlace} />
        </>
      )}
    </Stack>
  );
}
