import { existsSync, readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { type Browser, type BrowserContext, chromium, type Page } from "playwright-core";
import { expect } from "vitest";

const usual = ["/usr/bin/chromium", "/usr/bin/chromium-browser", "/usr/bin/google-chrome"];

/** Where Chromium is on this machine. */
export function chromiumPlace(): string | undefined {
  const { GEMACH_CHROMIUM: own } = process.env;
  return (own === undefined ? usual : [own]).find((place) => existsSync(place));
}

export const openBrowser = (executablePath: string): Promise<Browser> =>
  // As the root of a container, which is what a CI is, there is no sandbox to be had.
  chromium.launch({ executablePath, args: ["--no-sandbox"] });

const axe = readFileSync(createRequire(import.meta.url).resolve("axe-core/axe.min.js"), "utf8");

/** What axe finds against a page, a line each. */
export async function accessibilityOf(page: Page): Promise<readonly string[]> {
  await page.evaluate(axe);
  const { violations } = await page.evaluate(() => (globalThis as unknown as { axe: { run(): Promise<Violations> } }).axe.run());
  return violations.map(({ id, nodes }) => `${id}: ${nodes.map(({ html }) => html.slice(0, 120)).join(" | ")}`);
}

interface Violations {
  readonly violations: readonly { readonly id: string; readonly nodes: readonly { readonly html: string }[] }[];
}

/** A page of its own, with all that its console said against it. */
export async function openPage(
  browser: Browser,
  settings: Parameters<Browser["newContext"]>[0] = {},
): Promise<{ page: Page; context: BrowserContext; said: string[] }> {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, ...settings });
  const page = await context.newPage();
  const said: string[] = [];
  page.on("pageerror", (error) => said.push(error.message));
  page.on("console", (message) => {
    if (["error", "warning"].includes(message.type())) said.push(message.text());
  });
  return { page, context, said };
}

/** Nothing stands against a page: neither for those who cannot see it, nor in its console. */
export async function expectSound(page: Page, said: readonly string[], name: string): Promise<void> {
  expect(await accessibilityOf(page), name).toEqual([]);
  expect(said, name).toEqual([]);
}
