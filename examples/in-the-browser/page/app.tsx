import {
  Alert,
  Button,
  Group,
  NavLink,
  SegmentedControl,
  Select,
  Stack,
  Text,
  Title,
  useMantineColorScheme,
} from "@mantine/core";
import { lazy, Suspense, useCallback, useEffect, useRef, useState } from "react";
import { type EngineName, engines, type Outcome, type Texts } from "../workers/outcome.js";
import { readAddress, writeAddress } from "./address.js";
import { catalogue } from "./catalogue.js";
import { Results } from "./parts/results.js";
import { Loading, readableTitle, Wrong } from "./parts/states.js";
import { engine, ofText } from "./workers.js";

const Editor = lazy(async () => ({ default: (await import("./parts/editor.js")).Editor }));

interface Given {
  readonly outcome: Outcome;
  readonly texts: readonly Texts[];
}

function SchemeSwitch() {
  const { colorScheme, setColorScheme } = useMantineColorScheme();
  const next = { auto: "light", light: "dark", dark: "auto" } as const;
  return (
    <Button size="xs" variant="default" onClick={() => setColorScheme(next[colorScheme])}>
      Colours: {colorScheme}
    </Button>
  );
}

/** Opens the engine that was chosen, and runs what is asked for on it, one after the other. */
function useEngine(name: EngineName) {
  const [opened, setOpened] = useState<{ readonly version?: string; readonly error?: string }>({});
  const [given, setGiven] = useState<Given | { readonly error: string } | undefined>();
  const [waiting, setWaiting] = useState(0);
  const last = useRef<Promise<unknown>>(Promise.resolve());
  const inTurn = useCallback((work: () => Promise<void>) => {
    setWaiting((count) => count + 1);
    last.current = last.current.then(async () => {
      await work().catch((error: Error) => setGiven({ error: error.message }));
      setWaiting((count) => count - 1);
    });
  }, []);
  useEffect(() => {
    inTurn(async () => {
      setOpened({});
      setGiven(undefined);
      const answer = await engine.open(name);
      setOpened(
        "error" in answer
          ? answer
          : { version: `${answer.version}, ${answer.isNew ? "filled just now" : "as it was kept here"}` },
      );
    });
  }, [name, inTurn]);
  const run = useCallback(
    (text: string) =>
      inTurn(async () => {
        const code = await ofText(text, (compiler) => compiler.code());
        const [outcome, texts] = [await engine.run(code), await engine.texts(code)];
        setGiven("error" in outcome ? outcome : "error" in texts ? texts : { outcome, texts });
      }),
    [inTurn],
  );
  return { opened, given, isBusy: waiting > 0, run };
}

export function App() {
  const [first] = useState(readAddress);
  const [name, setName] = useState<EngineName>(first.engine);
  const [text, setText] = useState(first.text ?? catalogue[0]?.text ?? "");
  // What came with the address is somebody else's: it is run once a person says so.
  const [isForeign, setForeign] = useState(first.text !== undefined);
  const { opened, given, isBusy, run } = useEngine(name);
  const isFirst = useRef(true);
  const mayRun = useRef(!isForeign);
  const written = useRef(text);
  written.current = text;
  // An engine that was chosen runs what is written, if that may be run.
  useEffect(() => {
    if (name !== undefined && mayRun.current) run(written.current);
  }, [name, run]);
  useEffect(() => {
    if (isFirst.current) isFirst.current = false;
    else writeAddress({ engine: name, text });
  }, [name, text]);
  const runNow = (wanted = text) => {
    mayRun.current = true;
    setForeign(false);
    run(wanted);
  };
  const pick = (picked: string | null) => {
    const entry = catalogue.find((one) => one.name === picked);
    if (entry === undefined) return;
    setText(entry.text);
    runNow(entry.text);
  };
  const current = catalogue.find((entry) => entry.text === text)?.name ?? null;
  return (
    <>
      <Group
        component="header"
        justify="space-between"
        px="md"
        py="sm"
        style={{ borderBottom: "1px solid var(--mantine-color-default-border)" }}
      >
        <Title order={1} size="h4">
          gemach in the browser
        </Title>
        <Group gap="sm">
          <Text size="sm">{opened.version ?? ""}</Text>
          <SegmentedControl
            aria-label="Engine"
            value={name}
            onChange={(value) => setName(value as EngineName)}
            data={Object.entries(engines).map(([value, label]) => ({ value, label }))}
          />
          <SchemeSwitch />
        </Group>
      </Group>
      <Group align="start" wrap="nowrap" gap={0}>
        <Stack component="nav" aria-label="Queries" gap={0} w={250} p="xs" visibleFrom="md" style={{ flexShrink: 0 }}>
          {catalogue.map((entry) => (
            <NavLink
              component="button"
              key={entry.name}
              active={entry.name === current}
              variant="light"
              label={entry.name}
              description={entry.about}
              onClick={() => pick(entry.name)}
              c="var(--mantine-color-text)"
              styles={{ description: { color: "var(--mantine-color-text)" } }}
            />
          ))}
        </Stack>
        <Stack component="main" aria-busy={isBusy} p="md" gap="sm" style={{ flex: 1, minWidth: 0 }}>
          <Select
            hiddenFrom="md"
            label="Query"
            placeholder="of your own"
            data={catalogue.map((entry) => ({ value: entry.name, label: entry.name }))}
            value={current}
            onChange={pick}
          />
          {isForeign && (
            <Alert styles={readableTitle} variant="outline" color="orange" title="This query came with the address.">
              <Text size="sm">It is run when you say so. Read it first.</Text>
            </Alert>
          )}
          <Suspense fallback={<Loading what="the editor" />}>
            <Editor text={text} onChange={setText} onRun={() => runNow()} />
          </Suspense>
          <Group>
            <Button onClick={() => runNow()} loading={isBusy && !isForeign}>
              Run
            </Button>
            <Text size="sm">or Ctrl and Enter, in the editor</Text>
          </Group>
          {opened.error !== undefined && (
            <Wrong title={`${engines[name]} could not be opened.`} message={opened.error} />
          )}
          {opened.error === undefined && opened.version === undefined && (
            <Loading what={`${engines[name]}, with its data`} />
          )}
          {given !== undefined && "error" in given && opened.error === undefined && (
            <Wrong title="The query could not be run." message={given.error} />
          )}
          {given !== undefined && "outcome" in given && <Results outcome={given.outcome} texts={given.texts} />}
        </Stack>
      </Group>
    </>
  );
}
