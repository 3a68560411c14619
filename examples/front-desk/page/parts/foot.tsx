import {
  Badge,
  Button,
  Code,
  Collapse,
  Group,
  List,
  ScrollArea,
  SegmentedControl,
  Stack,
  Text,
  Title,
} from "@mantine/core";
import { useState } from "react";
import type { Cost, Way } from "../../server/view.js";
import { useCost } from "./cost.js";

const plural = (count: number, word: string): string => `${count} ${word}${count === 1 ? "" : "s"}`;

/** The foot of the page: the way in which views are made, and the ledger of what they cost. */
export function Foot() {
  const { way, setWay, costs } = useCost();
  const [isOpen, setOpen] = useState(false);
  const cost = costs[way];
  const other = costs[way === "good" ? "naive" : "good"];
  return (
    <Stack gap={0} px="md" py="xs">
      <Group justify="space-between" gap="sm">
        <Group gap="sm">
          <SegmentedControl
            aria-label="How this view is made"
            size="xs"
            value={way}
            onChange={(value) => setWay(value as Way)}
            data={[
              { value: "good", label: "good" },
              { value: "naive", label: "naive" },
            ]}
          />
          <Text size="sm" role="status">
            {cost === undefined
              ? "Nothing was measured on this page."
              : `${plural(cost.statements, "statement")}, ${plural(cost.rows, "row")}, ${cost.milliseconds} ms`}
            {cost !== undefined && other !== undefined && ` (${other.way}: ${plural(other.statements, "statement")})`}
          </Text>
          {cost !== undefined && cost.findings.length > 0 && (
            <Badge color="orange" variant="outline" c="var(--mantine-color-text)">
              {plural(cost.findings.length, "finding")}
            </Badge>
          )}
        </Group>
        <Button
          size="xs"
          variant="default"
          aria-expanded={isOpen}
          aria-controls="ledger"
          onClick={() => setOpen(!isOpen)}
        >
          {isOpen ? "Close the ledger" : "Open the ledger"}
        </Button>
      </Group>
      <Collapse expanded={isOpen} id="ledger">
        {cost !== undefined && <Ledger cost={cost} />}
      </Collapse>
    </Stack>
  );
}

const Ledger = ({ cost }: { readonly cost: Cost }) => (
  <ScrollArea h="38vh" mt="xs" type="auto" viewportProps={{ tabIndex: 0, role: "region", "aria-label": "The ledger" }}>
    <Stack gap="sm" pb="sm">
      {cost.findings.length > 0 && (
        <div>
          <Title order={2} size="sm">
            Findings
          </Title>
          <List size="sm" spacing={4}>
            {cost.findings.map(({ kind, evidence, remedy, times }) => (
              <List.Item key={`${kind} ${evidence}`}>
                <strong>{kind}</strong>
                {times > 1 && `, ${times} times`}: {evidence} {remedy}
              </List.Item>
            ))}
          </List>
        </div>
      )}
      <Title order={2} size="sm">
        Statements
      </Title>
      {cost.texts.map(({ text, times, rows, milliseconds }) => (
        <div key={text}>
          <Text size="xs">
            {times === 1 ? "once" : `${times} times`}, {plural(rows, "row")}, {milliseconds} ms
          </Text>
          <Code block>{text}</Code>
        </div>
      ))}
    </Stack>
  </ScrollArea>
);
