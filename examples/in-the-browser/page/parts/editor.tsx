import { autocompletion, type CompletionContext } from "@codemirror/autocomplete";
import { javascript } from "@codemirror/lang-javascript";
import { type Diagnostic, linter } from "@codemirror/lint";
import { Compartment, Prec } from "@codemirror/state";
import { oneDark } from "@codemirror/theme-one-dark";
import { hoverTooltip, keymap } from "@codemirror/view";
import { Text, useComputedColorScheme } from "@mantine/core";
import { basicSetup, EditorView } from "codemirror";
import { useEffect, useRef, useState } from "react";
import { ofText } from "../workers.js";

/** Kinds of the compiler's completions, as the editor calls them. */
const kinds: Readonly<Record<string, string>> = {
  method: "method",
  property: "property",
  const: "constant",
  let: "variable",
  var: "variable",
  function: "function",
  class: "class",
  keyword: "keyword",
  interface: "interface",
  type: "type",
};

async function offers(context: CompletionContext) {
  const before = context.matchBefore(/[\w$.]+/);
  if (before === null && !context.explicit) return null;
  const { from, offers: found } = await ofText(context.state.doc.toString(), (compiler) =>
    compiler.offers(context.pos),
  );
  return {
    from,
    options: found.map(({ label, type }) => ({ label, type: kinds[type] ?? "text" })),
    validFor: /^[\w$]*$/,
  };
}

/** What the compiler finds wrong, marked in the text; `tell`: is told the same in words. */
const mistakes =
  (tell: (said: readonly string[]) => void) =>
  async (view: EditorView): Promise<readonly Diagnostic[]> => {
    const { doc } = view.state;
    const found = await ofText(doc.toString(), (compiler) => compiler.mistakes());
    const end = view.state.doc.length;
    tell(found.map(({ from, message }) => `Line ${doc.lineAt(Math.min(from, doc.length)).number}: ${message}`));
    return found.map(({ from, to, message }) => ({
      ...{ from: Math.min(from, end), to: Math.min(to, end), message },
      severity: "error" as const,
    }));
  };

const about = hoverTooltip(async (view, position) => {
  const found = await ofText(view.state.doc.toString(), (compiler) => compiler.about(position));
  if (found === undefined) return null;
  const create = () => {
    const dom = document.createElement("div");
    dom.style.cssText =
      "max-width: 60ch; white-space: pre-wrap; padding: 4px 8px; font-family: monospace; font-size: 12px";
    dom.textContent = found.message;
    return { dom };
  };
  return { pos: found.from, end: found.to, create };
});

const inDark = new Compartment();

interface Props {
  readonly text: string;
  readonly onChange: (text: string) => void;
  readonly onRun: () => void;
}

/** Darker than the theme's own, so that all of its colours can be read. */
const darker = EditorView.theme(
  {
    "&, .cm-gutters": { backgroundColor: "#16181c" },
    ".cm-activeLine, .cm-activeLineGutter": { backgroundColor: "transparent" },
  },
  { dark: true },
);
const dark = [darker, oneDark];

/** An editor with the types of the library and of the model. */
export function Editor({ text, onChange, onRun }: Props) {
  const place = useRef<HTMLDivElement>(null);
  const [said, setSaid] = useState<readonly string[]>([]);
  const view = useRef<EditorView>(null);
  const told = useRef({ onChange, onRun });
  told.current = { onChange, onRun };
  const scheme = useComputedColorScheme("light");
  const first = useRef({ text, scheme });
  useEffect(() => {
    if (place.current === null) return;
    const run = () => {
      told.current.onRun();
      return true;
    };
    const opened = new EditorView({
      parent: place.current,
      doc: first.current.text,
      extensions: [
        Prec.highest(keymap.of([{ key: "Mod-Enter", run }])),
        basicSetup,
        javascript({ typescript: true }),
        autocompletion({ override: [offers] }),
        linter(mistakes(setSaid), { delay: 400 }),
        about,
        inDark.of(first.current.scheme === "dark" ? dark : []),
        EditorView.contentAttributes.of({ "aria-label": "The query", "aria-multiline": "true" }),
        EditorView.updateListener.of((update) => {
          if (update.docChanged) told.current.onChange(update.state.doc.toString());
        }),
        EditorView.theme({ "&": { maxHeight: "40vh", fontSize: "13px" }, ".cm-scroller": { overflow: "auto" } }),
      ],
    });
    view.current = opened;
    return () => opened.destroy();
  }, []);
  useEffect(() => {
    view.current?.dispatch({ effects: inDark.reconfigure(scheme === "dark" ? dark : []) });
  }, [scheme]);
  useEffect(() => {
    const opened = view.current;
    if (opened !== null && opened.state.doc.toString() !== text)
      opened.dispatch({ changes: { from: 0, to: opened.state.doc.length, insert: text } });
  }, [text]);
  return (
    <div>
      <div ref={place} />
      <div role="status" aria-label="Mistakes">
        {said.slice(0, 3).map((line) => (
          <Text key={line} size="sm" mt={4} style={{ whiteSpace: "pre-wrap" }}>
            {line}
          </Text>
        ))}
      </div>
    </div>
  );
}
