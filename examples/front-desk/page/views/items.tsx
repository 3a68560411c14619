import { Anchor, Badge, Group, Select, Stack, Table, Text, TextInput, Title } from "@mantine/core";
import { useDebouncedCallback } from "@mantine/hooks";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useLocation, useSearch } from "wouter";
import { answer, api } from "../api.js";
import { Further } from "../parts/further.js";
import { Failed, Loading, Nothing } from "../parts/states.js";
import { useView } from "../parts/use-view.js";

const orders = [
  { value: "name", label: "by name" },
  { value: "depot", label: "by depot" },
  { value: "newest", label: "newest first" },
];
const states = [
  { value: "in", label: "here" },
  { value: "out", label: "out" },
];

/** Filters and place of the list stand in the address, so that it can be kept and shared. */
function useFilter() {
  const filter = Object.fromEntries(new URLSearchParams(useSearch()));
  const [, navigate] = useLocation();
  const narrow = (changes: Readonly<Record<string, string | null>>) => {
    const { after: _after, before: _before, ...kept } = filter;
    const wanted = Object.entries({ ...kept, ...changes }).filter((entry): entry is [string, string] =>
      Boolean(entry[1]),
    );
    navigate(wanted.length === 0 ? "/" : `/?${new URLSearchParams(wanted)}`);
  };
  return { filter, narrow };
}

/** The things of the district: looked for, narrowed, sorted, page by page. */
export function ItemsView() {
  const { filter, narrow } = useFilter();
  const [text, setText] = useState(filter.text ?? "");
  const search = useDebouncedCallback((words: string) => narrow({ text: words }), 250);
  const choices = useQuery({ queryKey: ["choices"], queryFn: () => answer(api().choices.$get()) });
  const { shown, isPending, error, refetch, isPlaceholderData } = useView(["items", filter], (way) =>
    answer(api(way).items.$get({ query: filter })),
  );
  const options = (all: readonly { readonly id: number; readonly name: string }[] = []) =>
    all.map(({ id, name }) => ({ value: String(id), label: name }));
  return (
    <Stack>
      <Title order={2} size="h3">
        Things
      </Title>
      <Group align="end" gap="sm" role="search">
        <TextInput
          label="Look for"
          placeholder="drill, case …"
          value={text}
          onChange={({ currentTarget: { value } }) => {
            setText(value);
            search(value);
          }}
        />
        <Select
          label="Depot"
          placeholder="any"
          clearable
          data={options(choices.data?.depots)}
          value={filter.depot ?? null}
          onChange={(depot) => narrow({ depot })}
          w={160}
        />
        <Select
          label="Kind"
          placeholder="any"
          clearable
          data={options(choices.data?.categories)}
          value={filter.category ?? null}
          onChange={(category) => narrow({ category })}
          w={150}
        />
        <Select
          label="State"
          placeholder="any"
          clearable
          data={states}
          value={filter.state ?? null}
          onChange={(state) => narrow({ state })}
          w={110}
        />
        <Select
          label="Order"
          allowDeselect={false}
          data={orders}
          value={filter.order ?? "name"}
          onChange={(order) => narrow({ order })}
          w={150}
        />
      </Group>
      {isPending && <Loading what="the things" />}
      {error !== null && <Failed error={error} again={refetch} />}
      {shown?.rows.length === 0 && (
        <Nothing>Nothing here is like that. Take a filter away, or look for another word.</Nothing>
      )}
      {shown !== undefined && shown.rows.length > 0 && (
        <>
          <Table highlightOnHover aria-busy={isPlaceholderData}>
            <Table.Thead>
              <Table.Tr>
                <Table.Th scope="col">Thing</Table.Th>
                <Table.Th scope="col">Kind</Table.Th>
                <Table.Th scope="col">Depot</Table.Th>
                <Table.Th scope="col">State</Table.Th>
              </Table.Tr>
            </Table.Thead>
            <Table.Tbody>
              {shown.rows.map(({ id, name, note, category, depot, out }) => (
                <Table.Tr key={id}>
                  <Table.Td style={{ overflowWrap: "anywhere" }}>
                    <Anchor component={Link} href={`/things/${id}`}>
                      {name}
                    </Anchor>
                    {note !== null && <Text size="xs">{note}</Text>}
                  </Table.Td>
                  <Table.Td>{category}</Table.Td>
                  <Table.Td>{depot}</Table.Td>
                  <Table.Td>
                    {out === null ? (
                      "here"
                    ) : (
                      <Group gap="xs">
                        <Badge variant="outline" c="var(--mantine-color-text)">
                          out
                        </Badge>
                        <Text size="sm">
                          until {out.due}, {out.borrower}
                        </Text>
                      </Group>
                    )}
                  </Table.Td>
                </Table.Tr>
              ))}
            </Table.Tbody>
          </Table>
          <Further at={shown} go={narrow} />
        </>
      )}
    </Stack>
  );
}
