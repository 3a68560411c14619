import { readFileSync } from "node:fs";
import { fileURLToPath } from "node:url";

const root = fileURLToPath(new URL("../..", import.meta.url));
const file = `${root}test/in-an-editor.ts`;

interface Span {
  readonly fileName: string;
  readonly textSpan: { readonly start: number; readonly length: number };
}

/** What is used of the compiler's language service: that of TypeScript 6, the last with such an interface. */
interface Service {
  getQuickInfoAtPosition(file: string, at: number): { displayParts?: readonly { text: string }[] } | undefined;
  getCompletionsAtPosition(file: string, at: number, options: object): { entries: readonly { name: string }[] } | undefined;
  getSemanticDiagnostics(file: string): readonly { start: number; length: number; messageText: string }[];
  getDefinitionAtPosition(file: string, at: number): readonly Span[] | undefined;
  findRenameLocations(file: string, at: number, inStrings: boolean, inComments: boolean, settings: object): readonly Span[] | undefined;
}
// biome-ignore lint/suspicious/noExplicitAny: the package has a name of its own here, and so no types
const ts: any = (await import(/* @vite-ignore */ `${"typescript"}-6`)).default;

const options = {
  ...ts.parseJsonConfigFileContent(JSON.parse(readFileSync(`${root}tsconfig.json`, "utf8")), ts.sys, root).options,
  paths: { gemach: [`${root}src/index.ts`] },
  noUnusedLocals: false,
  noUnusedParameters: false,
};

/** An editor with a file open, which begins with `setting` and ends with a line that is put there. */
export function openEditor(setting: string) {
  let text = setting;
  let version = 0;
  const service: Service = ts.createLanguageService({
    getCompilationSettings: () => options,
    getScriptFileNames: () => [file],
    getScriptVersion: (name: string) => (name === file ? String(version) : "1"),
    getScriptSnapshot: (name: string) => {
      const content = name === file ? text : ts.sys.readFile(name);
      return content === undefined ? undefined : ts.ScriptSnapshot.fromString(content);
    },
    getCurrentDirectory: () => root,
    getDefaultLibFileName: ts.getDefaultLibFilePath,
    fileExists: (name: string) => name === file || ts.sys.fileExists(name),
    readFile: (name: string) => (name === file ? text : ts.sys.readFile(name)),
  });
  const inFile = (spans: readonly Span[] | undefined) => (spans ?? []).filter(({ fileName }) => fileName === file).map(({ textSpan }) => textSpan.start);
  return {
    /** Puts a line at the end of the file; returns the position of the bar in it. */
    put(line: string): number {
      text = setting + line.replace("|", "");
      version++;
      return setting.length + line.indexOf("|");
    },
    hover: (at: number) => (service.getQuickInfoAtPosition(file, at)?.displayParts ?? []).map((part) => part.text).join(""),
    completions: (at: number) => (service.getCompletionsAtPosition(file, at, {})?.entries ?? []).map(({ name }) => name),
    /** The positions in the file to which "go to definition" leads. */
    definitions: (at: number) => inFile(service.getDefinitionAtPosition(file, at)),
    /** The positions in the file that a rename changes. */
    renames: (at: number) => inFile(service.findRenameLocations(file, at, false, false, {})),
    mistakes: () =>
      service.getSemanticDiagnostics(file).map(({ start, length, messageText }) => ({
        underlined: text.slice(start, start + length),
        text: ts.flattenDiagnosticMessageText(messageText, "\n") as string,
      })),
  };
}
