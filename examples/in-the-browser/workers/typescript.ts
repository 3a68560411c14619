import files from "virtual:type-files";
import { createSystem, createVirtualTypeScriptEnvironment } from "@typescript/vfs";
import { expose } from "comlink";
import ts from "typescript-js";

/** What a completion offers. */
export interface Offer {
  readonly label: string;
  readonly type: string;
}

/** What the compiler says of a part of the text. */
export interface Said {
  readonly from: number;
  readonly to: number;
  readonly message: string;
}

const place = "/query.ts";
const options: ts.CompilerOptions = {
  target: ts.ScriptTarget.ES2022,
  module: ts.ModuleKind.CommonJS,
  moduleResolution: ts.ModuleResolutionKind.Node10,
  lib: ["es2023"],
  strict: true,
  skipLibCheck: true,
  baseUrl: "/",
  paths: { gemach: ["/types/index.d.ts"], lending: ["/lending.ts"] },
};

const system = createSystem(new Map([...Object.entries(files), [place, "export {};\n"]]));
// The package is typed by whichever compiler is installed as "typescript"; it runs with this one.
const environment = createVirtualTypeScriptEnvironment(system, [place], ts as never, options as never);
const service = environment.languageService as unknown as ts.LanguageService;

const isWord = (character: string | undefined): boolean => character !== undefined && /[\w$]/.test(character);

const compiler = {
  /** The text that the others speak of. */
  write(text: string): void {
    environment.updateFile(place, text === "" ? "\n" : text);
  },

  /** What fits at a place of the text, and where the word there begins. */
  offers(at: number): { readonly from: number; readonly offers: readonly Offer[] } {
    const text = system.readFile(place) ?? "";
    let from = at;
    while (isWord(text[from - 1])) from--;
    const found = service.getCompletionsAtPosition(place, at, { includeCompletionsForModuleExports: false });
    return {
      from,
      offers: (found?.entries ?? []).slice(0, 300).map(({ name, kind }) => ({ label: name, type: kind })),
    };
  },

  /** What is wrong with the text. */
  mistakes(): readonly Said[] {
    return [...service.getSyntacticDiagnostics(place), ...service.getSemanticDiagnostics(place)].map(
      ({ start = 0, length = 0, messageText }) => ({
        from: start,
        to: start + length,
        message: ts.flattenDiagnosticMessageText(messageText, "\n"),
      }),
    );
  },

  /** What the name at a place is. */
  about(at: number): Said | undefined {
    const found = service.getQuickInfoAtPosition(place, at);
    if (found === undefined) return undefined;
    const { start, length } = found.textSpan;
    const parts = [
      ...(found.displayParts ?? []),
      ...(found.documentation?.length ? [{ text: "\n\n" }, ...found.documentation] : []),
    ];
    return { from: start, to: start + length, message: parts.map(({ text }) => text).join("") };
  },

  /** The text as a browser runs it. */
  code(): string {
    return service.getEmitOutput(place).outputFiles[0]?.text ?? "";
  },
};

export type Compiler = typeof compiler;

expose(compiler);
