import { Select } from "@mantine/core";
import { useDebouncedValue } from "@mantine/hooks";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api } from "../api.js";

interface Props {
  readonly value: number | null;
  readonly onChange: (id: number | null) => void;
  readonly error?: string | undefined;
}

/** A member, found by a part of the name. */
export function MemberPicker({ value, onChange, error }: Props) {
  const [text, setText] = useState("");
  const [words] = useDebouncedValue(text, 200);
  const { data = [] } = useQuery({
    queryKey: ["members", words],
    queryFn: () => answer(api().members.$get({ query: words === "" ? {} : { text: words } })),
    placeholderData: keepPreviousData,
  });
  const members = data.map(({ id, name, blocked }) => ({
    value: String(id),
    label: blocked ? `${name} (blocked)` : name,
    disabled: blocked,
  }));
  return (
    <Select
      label="Member"
      placeholder="a part of the name"
      searchable
      // Eight at most: nothing to scroll.
      maxDropdownHeight={400}
      comboboxProps={{ withinPortal: false }}
      required
      data={members}
      value={value === null ? null : String(value)}
      onSearchChange={setText}
      filter={({ options }) => options}
      nothingFoundMessage="Nobody is called that"
      onChange={(id) => onChange(id === null ? null : Number(id))}
      error={error}
    />
  );
}
