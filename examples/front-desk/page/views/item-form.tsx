import {
  ActionIcon,
  Alert,
  Button,
  Group,
  Select,
  Stack,
  Table,
  Text,
  Textarea,
  TextInput,
  Title,
} from "@mantine/core";
import { useForm } from "@mantine/form";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useLocation } from "wouter";
import type { EditableItem } from "../../server/views/item.js";
import { answer, api, ProblemError } from "../api.js";
import { fieldErrors } from "../parts/field-errors.js";
import { Failed, Loading, readableTitle } from "../parts/states.js";

type ReadRepair = EditableItem["repairs"][number];

/** A thing as the form has it: lines of repairs that are new have no key yet. */
interface Edited extends Omit<EditableItem, "id" | "repairs"> {
  readonly repairs: readonly (Omit<ReadRepair, "id"> & Partial<Pick<ReadRepair, "id">>)[];
}

const fields = ["name", "note", "depotId", "categoryId"] as const;

/** Loads a thing, and lets one edit it with its repairs. */
export function ItemForm({ id }: { readonly id: number }) {
  const found = useQuery({
    queryKey: ["form", id],
    queryFn: () => answer(api().items[":id"].form.$get({ param: { id: String(id) } })),
    gcTime: 0,
  });
  if (found.isPending) return <Loading what="the thing" />;
  if (found.isError) return <Failed error={found.error} again={found.refetch} />;
  return <Form id={id} first={found.data} />;
}

/** What somebody else has written meanwhile, beside what stands in the form. */
function Conflict({
  mine,
  theirs,
  names,
  keepMine,
  takeTheirs,
}: {
  readonly mine: Edited;
  readonly theirs: Edited;
  readonly names: (field: string, value: unknown) => string;
  readonly keepMine: () => void;
  readonly takeTheirs: () => void;
}) {
  const lines = (of: Edited) =>
    of.repairs.map(({ begun, what, cost }) => `${begun} ${what} ${cost}`).join("; ") || "none";
  const differing = [
    ...fields
      .filter((field) => (mine[field] ?? "") !== (theirs[field] ?? ""))
      .map((field) => [field, names(field, mine[field]), names(field, theirs[field])] as const),
    ...(lines(mine) === lines(theirs) ? [] : [["repairs", lines(mine), lines(theirs)] as const]),
  ];
  return (
    <Alert
      styles={readableTitle}
      color="orange"
      variant="outline"
      role="alert"
      title="Somebody else changed this thing since you opened it."
    >
      {differing.length === 0 ? (
        <Text size="sm">They wrote the same as you.</Text>
      ) : (
        <Table>
          <Table.Thead>
            <Table.Tr>
              <Table.Th scope="col">What</Table.Th>
              <Table.Th scope="col">Yours</Table.Th>
              <Table.Th scope="col">Theirs</Table.Th>
            </Table.Tr>
          </Table.Thead>
          <Table.Tbody>
            {differing.map(([field, own, other]) => (
              <Table.Tr key={field}>
                <Table.Th scope="row">{field.replace("Id", "")}</Table.Th>
                <Table.Td style={{ overflowWrap: "anywhere" }}>{own}</Table.Td>
                <Table.Td style={{ overflowWrap: "anywhere" }}>{other}</Table.Td>
              </Table.Tr>
            ))}
          </Table.Tbody>
        </Table>
      )}
      <Group mt="sm">
        <Button size="xs" onClick={keepMine}>
          Write mine over theirs
        </Button>
        <Button size="xs" variant="default" onClick={takeTheirs}>
          Go on with theirs
        </Button>
      </Group>
    </Alert>
  );
}

function Form({ id, first }: { readonly id: number; readonly first: Edited }) {
  const [, navigate] = useLocation();
  const client = useQueryClient();
  const [theirs, setTheirs] = useState<Edited | null>(null);
  const choices = useQuery({ queryKey: ["choices"], queryFn: () => answer(api().choices.$get()) });
  const form = useForm<Edited>({ initialValues: { ...first, note: first.note ?? "" } });
  const saving = useMutation({
    mutationFn: (edited: Edited) => {
      const { name, note, depotId, categoryId, turn, repairs } = edited;
      const document = { name, note: note === "" ? null : note, depotId, categoryId, turn, repairs };
      return answer<unknown>(
        api().items[":id"].$patch(
          { param: { id: String(id) } },
          { init: { body: JSON.stringify(document), headers: { "content-type": "application/merge-patch+json" } } },
        ),
      );
    },
    onSuccess: async () => {
      await client.invalidateQueries();
      navigate(`/things/${id}`);
    },
    onError: (error) => {
      form.setErrors(fieldErrors(error));
      const current = error instanceof ProblemError ? (error.problem.current as Edited | undefined) : undefined;
      setTheirs(current ?? null);
    },
  });
  const options = (all: readonly { readonly id: number; readonly name: string }[] = []) =>
    all.map((one) => ({ value: String(one.id), label: one.name }));
  const named = (field: string, value: unknown): string => {
    const all =
      field === "depotId" ? choices.data?.depots : field === "categoryId" ? choices.data?.categories : undefined;
    return all?.find((one) => one.id === value)?.name ?? (value === null || value === "" ? "nothing" : String(value));
  };
  const write = (edited: Edited) => {
    setTheirs(null);
    saving.mutate(edited);
  };
  const keepMine = () => {
    if (theirs === null) return;
    // What they have taken away is no row any more: a line that stays is a new one.
    const known = new Set(theirs.repairs.map((line) => line.id));
    const repairs = form.values.repairs.map(({ id: key, ...line }) =>
      key !== undefined && known.has(key) ? { id: key, ...line } : line,
    );
    write({ ...form.values, turn: theirs.turn, repairs });
  };
  const takeTheirs = () => {
    if (theirs !== null) form.setValues({ ...theirs, note: theirs.note ?? "" });
    setTheirs(null);
    saving.reset();
  };
  const idSelect = (field: "depotId" | "categoryId", label: string, all: Parameters<typeof options>[0]) => (
    <Select
      label={label}
      allowDeselect={false}
      data={options(all)}
      value={String(form.values[field])}
      onChange={(value) => value !== null && form.setFieldValue(field, Number(value))}
      error={form.errors[field]}
    />
  );
  return (
    <form onSubmit={form.onSubmit(write)} noValidate>
      <Stack maw={760}>
        <Title order={2} size="h3" style={{ overflowWrap: "anywhere" }}>
          Edit {first.name}
        </Title>
        {theirs !== null && (
          <Conflict mine={form.values} theirs={theirs} names={named} keepMine={keepMine} takeTheirs={takeTheirs} />
        )}
        {saving.isError && theirs === null && <Failed error={saving.error} />}
        <TextInput label="Name" {...form.getInputProps("name")} />
        <Textarea label="Note" autosize {...form.getInputProps("note")} />
        <Group grow align="start">
          {idSelect("depotId", "Depot", choices.data?.depots)}
          {idSelect("categoryId", "Kind", choices.data?.categories)}
        </Group>
        <Title order={3} size="h5">
          Repairs
        </Title>
        {form.values.repairs.length === 0 && <Text size="sm">It was never repaired.</Text>}
        {form.values.repairs.map((line, i) => (
          <Group key={line.id ?? `new ${i}`} align="start" gap="sm" wrap="nowrap">
            <TextInput
              type="date"
              aria-label={`Day of repair ${i + 1}`}
              {...form.getInputProps(`repairs.${i}.begun`)}
            />
            <TextInput
              flex={1}
              aria-label={`What was done in repair ${i + 1}`}
              {...form.getInputProps(`repairs.${i}.what`)}
              error={form.errors[`repairs.${i}.what`] ?? form.errors[`repairs.${i}`]}
            />
            <TextInput
              w={110}
              aria-label={`Cost of repair ${i + 1} in euros`}
              {...form.getInputProps(`repairs.${i}.cost`)}
            />
            <ActionIcon
              variant="default"
              size="lg"
              aria-label={`Take repair ${i + 1} away`}
              onClick={() => form.removeListItem("repairs", i)}
            >
              ×
            </ActionIcon>
          </Group>
        ))}
        <Group>
          <Button
            variant="default"
            onClick={() =>
              form.insertListItem("repairs", { begun: new Date().toISOString().slice(0, 10), what: "", cost: "0.00" })
            }
          >
            Add a repair
          </Button>
        </Group>
        <Group>
          <Button type="submit" loading={saving.isPending}>
            Save
          </Button>
          <Button variant="default" onClick={() => navigate(`/things/${id}`)}>
            Leave it as it was
          </Button>
        </Group>
      </Stack>
    </form>
  );
}
