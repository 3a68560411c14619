import { Code, List, SegmentedControl, Stack, Tabs, Text, Title } from "@mantine/core";
import { useState } from "react";
import type { Outcome, Step, Texts } from "../../workers/outcome.js";
import { Rows } from "./rows.js";

const plural = (count: number, word: string): string => `${count} ${word}${count === 1 ? "" : "s"}`;

const Steps = ({ steps }: { readonly steps: readonly Step[] }) => (
  <List size="sm">
    {steps.map(({ label, steps: below }, i) => (
      // biome-ignore lint/suspicious/noArrayIndexKey: steps have no name, and stay where they are
      <List.Item key={`${i} ${label}`}>
        {label}
        {below.length > 0 && <Steps steps={below} />}
      </List.Item>
    ))}
  </List>
);

const Sent = ({ outcome: { sent, findings } }: { readonly outcome: Outcome }) => (
  <Stack gap="sm">
    {findings.map(({ kind, evidence, remedy }) => (
      <Text size="sm" key={kind + evidence}>
        <strong>{kind}</strong>: {evidence} {remedy}
      </Text>
    ))}
    {sent.map(({ text, purpose, rows, milliseconds }) => (
      <div key={text}>
        <Text size="sm">
          {purpose}: {plural(rows, "row")}, {milliseconds} ms
        </Text>
        <Code block tabIndex={0}>
          {text}
        </Code>
      </div>
    ))}
  </Stack>
);

const names: Readonly<Record<string, string>> = { sqlite: "SQLite", postgres: "PostgreSQL", mariadb: "MariaDB" };

/** What the query would send, by every strategy and in every dialect. */
function Strategies({ texts }: { readonly texts: readonly Texts[] }) {
  const [dialect, setDialect] = useState("sqlite");
  const own = texts.filter((one) => one.dialect === dialect);
  return (
    <Stack gap="sm">
      <SegmentedControl
        aria-label="Dialect"
        value={dialect}
        onChange={setDialect}
        data={Object.entries(names).map(([value, label]) => ({ value, label }))}
        style={{ alignSelf: "start" }}
      />
      {own.map(({ strategy, statements, error }) => (
        <div key={strategy}>
          <Title order={2} size="sm">
            {strategy}: {error === undefined ? plural(statements.length, "statement") : "not possible"}
          </Title>
          {error !== undefined && <Text size="sm">{error}</Text>}
          {statements.map(({ purpose, text }) => (
            <Code block key={text} mt={4} tabIndex={0} aria-label={purpose}>
              {text}
            </Code>
          ))}
        </div>
      ))}
    </Stack>
  );
}

/** What a query gave, what it cost, and what else it would send. */
export function Results({ outcome, texts }: { readonly outcome: Outcome; readonly texts: readonly Texts[] }) {
  const { rows, count, sent, milliseconds, plans } = outcome;
  return (
    <>
      <Text role="status" size="sm">
        {plural(count, "row")}
        {rows.length < count && `, of which the first ${rows.length} are shown`}; {plural(sent.length, "statement")},{" "}
        {milliseconds} ms
      </Text>
      <Tabs defaultValue="rows" keepMounted={false}>
        <Tabs.List>
          <Tabs.Tab value="rows">Rows</Tabs.Tab>
          <Tabs.Tab value="sent">Statements</Tabs.Tab>
          <Tabs.Tab value="strategies">Every strategy</Tabs.Tab>
          <Tabs.Tab value="plan">Plan</Tabs.Tab>
        </Tabs.List>
        <Tabs.Panel value="rows" pt="sm">
          <Rows rows={rows} />
        </Tabs.Panel>
        <Tabs.Panel value="sent" pt="sm">
          <Sent outcome={outcome} />
        </Tabs.Panel>
        <Tabs.Panel value="strategies" pt="sm">
          <Strategies texts={texts} />
        </Tabs.Panel>
        <Tabs.Panel value="plan" pt="sm">
          <Steps steps={plans} />
        </Tabs.Panel>
      </Tabs>
    </>
  );
}
