import { type EngineName, engines } from "../workers/outcome.js";

/** What stands in the address: it can be kept, and sent to somebody. */
export interface Address {
  readonly engine: EngineName;
  readonly text: string | undefined;
}

const encoded = (text: string): string =>
  btoa(String.fromCharCode(...new TextEncoder().encode(text)))
    .replaceAll("+", "-")
    .replaceAll("/", "_")
    .replaceAll("=", "");

function decoded(text: string | null): string | undefined {
  if (text === null) return undefined;
  try {
    const bytes = Uint8Array.from(atob(text.replaceAll("-", "+").replaceAll("_", "/")), (letter) =>
      letter.charCodeAt(0),
    );
    return new TextDecoder("utf-8", { fatal: true }).decode(bytes);
  } catch {
    // Somebody has cut it off, or made it up: then there is none.
    return undefined;
  }
}

export function readAddress(): Address {
  const parts = new URLSearchParams(location.hash.slice(1));
  const engine = parts.get("engine") ?? "";
  return { engine: engine in engines ? (engine as EngineName) : "sqlite", text: decoded(parts.get("query")) };
}

export function writeAddress({ engine, text }: Address): void {
  const parts = new URLSearchParams({ engine, ...(text === undefined ? {} : { query: encoded(text) }) });
  history.replaceState(null, "", `#${parts}`);
}
