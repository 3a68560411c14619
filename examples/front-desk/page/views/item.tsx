import { Button, Card, Group, Modal, SimpleGrid, Stack, Table, Text, TextInput, Title } from "@mantine/core";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { Link, useLocation } from "wouter";
import type { ItemDetail } from "../../server/views/item.js";
import { answer, api } from "../api.js";
import { fieldErrors } from "../parts/field-errors.js";
import { MemberPicker } from "../parts/member-picker.js";
import { Failed, Loading, Nothing } from "../parts/states.js";
import { useView } from "../parts/use-view.js";

const dayAfter = (day: string, days: number): string =>
  new Date(Date.parse(day) + days * 86_400_000).toISOString().slice(0, 10);

interface Asked {
  readonly title: string;
  readonly opened: boolean;
  readonly onClose: () => void;
  /** Days that are asked for beside the member, by their names, with what they are at first. */
  readonly days: Readonly<Record<string, { readonly label: string; readonly first: string }>>;
  readonly send: (memberId: number, days: Readonly<Record<string, string>>) => Promise<unknown>;
}

/** Asks for a member and some days, and sends them. */
function AskDays({ title, opened, onClose, days, send }: Asked) {
  const client = useQueryClient();
  const [memberId, setMember] = useState<number | null>(null);
  const [chosen, setChosen] = useState<Readonly<Record<string, string>>>({});
  const values = Object.fromEntries(Object.entries(days).map(([name, { first }]) => [name, chosen[name] ?? first]));
  const sending = useMutation({
    mutationFn: (id: number) => send(id, values),
    onSuccess: async () => {
      onClose();
      setMember(null);
      setChosen({});
      await client.invalidateQueries();
    },
  });
  const errors = fieldErrors(sending.error);
  return (
    <Modal.Root opened={opened} onClose={onClose}>
      <Modal.Overlay />
      <Modal.Content styles={{ content: { overflow: "visible" } }}>
        <Modal.Body>
          <Modal.Title mb="sm">{title}</Modal.Title>
          <form
            onSubmit={(event) => {
              event.preventDefault();
              if (memberId !== null) sending.mutate(memberId);
            }}
          >
            <Stack>
              <MemberPicker value={memberId} onChange={setMember} error={errors.memberId} />
              {Object.entries(days).map(([name, { label }]) => (
                <TextInput
                  key={name}
                  type="date"
                  label={label}
                  required
                  value={values[name] ?? ""}
                  error={errors[name]}
                  onChange={({ currentTarget: { value } }) => setChosen({ ...chosen, [name]: value })}
                />
              ))}
              {sending.isError && <Failed error={sending.error} />}
              <Group>
                <Button type="submit" disabled={memberId === null} loading={sending.isPending}>
                  {title}
                </Button>
                <Button variant="default" onClick={onClose}>
                  Leave it
                </Button>
              </Group>
            </Stack>
          </form>
        </Modal.Body>
      </Modal.Content>
    </Modal.Root>
  );
}

const Part = ({
  title,
  none,
  isEmpty,
  children,
}: {
  readonly title: string;
  readonly none: string;
  readonly isEmpty: boolean;
  readonly children: ReactNode;
}) => (
  <Card withBorder>
    <Title order={3} size="h5" mb="xs">
      {title}
    </Title>
    {isEmpty ? <Text size="sm">{none}</Text> : children}
  </Card>
);

const Head = ({ of, last = "left" }: { readonly of: readonly string[]; readonly last?: "left" | "right" }) => (
  <Table.Thead>
    <Table.Tr>
      {of.map((label, i) => (
        <Table.Th scope="col" key={label} ta={i === of.length - 1 ? last : "left"}>
          {label}
        </Table.Th>
      ))}
    </Table.Tr>
  </Table.Thead>
);

const Lists = ({ loans, repairs, reservations }: ItemDetail) => (
  <SimpleGrid cols={{ base: 1, md: 2 }}>
    <Part title="Newest loans" none="It was never lent." isEmpty={loans.length === 0}>
      <Table>
        <Head of={["Borrower", "Lent", "Back"]} />
        <Table.Tbody>
          {loans.map(({ id, lent, due, returned, borrower }) => (
            <Table.Tr key={id}>
              <Table.Td>{borrower.name}</Table.Td>
              <Table.Td>{lent}</Table.Td>
              <Table.Td>{returned === null ? `due ${due}` : `back ${returned}`}</Table.Td>
            </Table.Tr>
          ))}
        </Table.Tbody>
      </Table>
    </Part>
    <Stack>
      <Part title="Reservations" none="Nobody waits for it." isEmpty={reservations.length === 0}>
        <Table>
          <Head of={["Member", "Days"]} />
          <Table.Tbody>
            {reservations.map(({ id, begins, ends, member }) => (
              <Table.Tr key={id}>
                <Table.Td>{member.name}</Table.Td>
                <Table.Td>
                  {begins} to {ends}
                </Table.Td>
              </Table.Tr>
            ))}
          </Table.Tbody>
        </Table>
      </Part>
      <Part title="Newest repairs" none="It was never repaired." isEmpty={repairs.length === 0}>
        <Table>
          <Head of={["Day", "What", "By", "Cost"]} last="right" />
          <Table.Tbody>
            {repairs.map(({ id, begun, what, cost, volunteer }) => (
              <Table.Tr key={id}>
                <Table.Td>{begun}</Table.Td>
                <Table.Td style={{ overflowWrap: "anywhere" }}>{what}</Table.Td>
                <Table.Td>{volunteer?.name ?? "nobody named"}</Table.Td>
                <Table.Td ta="right">{cost} €</Table.Td>
              </Table.Tr>
            ))}
          </Table.Tbody>
        </Table>
      </Part>
    </Stack>
  </SimpleGrid>
);

/** A thing: where it is, who had it, who waits for it. */
export function ItemView({ id, today }: { readonly id: number; readonly today: string }) {
  const [, navigate] = useLocation();
  const client = useQueryClient();
  const [asked, setAsked] = useState<"loan" | "reservation" | null>(null);
  const param = { id: String(id) };
  const { shown, isPending, error, refetch } = useView(["item", id], (way) =>
    answer(api(way).items[":id"].$get({ param })),
  );
  const again = { onSettled: () => client.invalidateQueries() };
  const takeBack = useMutation({
    mutationFn: (loan: number) => answer(api().loans[":id"].return.$post({ param: { id: String(loan) } })),
    ...again,
  });
  const remove = useMutation({
    mutationFn: () => answer(api().items[":id"].$delete({ param })),
    onSuccess: async () => {
      navigate("/");
      await client.invalidateQueries();
    },
  });
  if (isPending) return <Loading what="the thing" />;
  if (error !== null) return <Failed error={error} again={refetch} />;
  if (shown === undefined) return <Nothing>There is no such thing.</Nothing>;
  const open = shown.loans.find(({ returned }) => returned === null);
  const close = () => setAsked(null);
  return (
    <Stack>
      <Group justify="space-between" align="start">
        <div style={{ minWidth: 0, overflowWrap: "anywhere" }}>
          <Title order={2} size="h3">
            {shown.name}
          </Title>
          <Text>
            {shown.category.name}, {shown.depot.name} in {shown.depot.town}
          </Text>
          {shown.note !== null && <Text size="sm">{shown.note}</Text>}
        </div>
        <Group gap="sm">
          {open === undefined ? (
            <Button onClick={() => setAsked("loan")}>Lend</Button>
          ) : (
            <Button loading={takeBack.isPending} onClick={() => takeBack.mutate(open.id)}>
              Take back
            </Button>
          )}
          <Button variant="default" onClick={() => setAsked("reservation")}>
            Reserve
          </Button>
          <Button component={Link} href={`/things/${id}/edit`} variant="default">
            Edit
          </Button>
          <Button variant="default" loading={remove.isPending} onClick={() => remove.mutate()}>
            Remove
          </Button>
        </Group>
      </Group>
      <Text role="status">
        {open === undefined ? "It is here." : `It is out until ${open.due}, with ${open.borrower.name}.`}
      </Text>
      {takeBack.isError && <Failed error={takeBack.error} />}
      {remove.isError && <Failed error={remove.error} />}
      <Lists {...shown} />
      <AskDays
        title="Lend"
        opened={asked === "loan"}
        onClose={close}
        days={{ due: { label: "Due back", first: dayAfter(today, 14) } }}
        send={(memberId, { due = "" }) => answer(api().items[":id"].loans.$post({ param, json: { memberId, due } }))}
      />
      <AskDays
        title="Reserve"
        opened={asked === "reservation"}
        onClose={close}
        days={{
          begins: { label: "From", first: dayAfter(today, 60) },
          ends: { label: "To", first: dayAfter(today, 67) },
        }}
        send={(memberId, { begins = "", ends = "" }) =>
          answer(api().items[":id"].reservations.$post({ param, json: { memberId, begins, ends } }))
        }
      />
    </Stack>
  );
}
