import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { gzipSync } from "node:zlib";
import type { Browser, Page } from "playwright-core";
import { preview } from "vite";
import { afterAll, beforeAll, expect, inject, test } from "vitest";
import { buildExample } from "./support/built-example.js";
import { expectSound, openBrowser, openPage } from "./support/chromium.js";
import { type Installed, install } from "./support/installed.js";

let installed: Installed;
let folder: string;
let address: string;
let served: { close(): Promise<void> };
let browser: Browser;

beforeAll(async () => {
  installed = await install();
  folder = await buildExample(installed, "in-the-browser");
  const server = await preview({
    root: join(folder, "page"),
    configFile: join(folder, "vite.config.ts"),
    preview: { port: 4300, strictPort: false },
    logLevel: "error",
  });
  served = server;
  address = server.resolvedUrls?.local[0] ?? "";
  if (inject("chromium") !== "") browser = await openBrowser(inject("chromium"));
});
afterAll(async () => {
  await browser?.close();
  await served.close();
  installed.remove();
});

const inBrowser = (name: string, work: () => Promise<void>) => test.skipIf(inject("chromium") === "")(name, work);

const outcome = (page: Page) => page.locator('main[aria-busy="false"]').getByText(/\d+ rows?.*; \d+ statements?, [\d.]+ ms/);
const pick = async (page: Page, name: string) => {
  await page.getByRole("button", { name: new RegExp(`^${name}`) }).click();
  await outcome(page).waitFor();
};
/** Puts a text of one's own into the editor. */
const write = async (page: Page, text: string) => {
  await page.getByRole("textbox", { name: "The query" }).click();
  await page.keyboard.press("ControlOrMeta+A");
  await page.keyboard.insertText(text);
};
const change =
  'import { from } from "gemach";\nimport { Kit } from "lending";\nexport default from(Kit).select((k) => ({ kit: k.name, parts: k.parts.count() }));\n';

test("the page's own code, with the library, is small", () => {
  const sizes = readdirSync(join(folder, "dist/assets")).flatMap((file) =>
    /^(index|engine)-.*\.(js|css)$/.test(file) ? [gzipSync(readFileSync(join(folder, "dist/assets", file)), { level: 9 }).length] : [],
  );
  expect(sizes).toHaveLength(3);
  expect(sizes.reduce((sum, size) => sum + size, 0) / 1000).toBeLessThan(350);
});

inBrowser(
  "queries run on both engines, and give the same; what came with the address is run after a click alone; without a network all is still there",
  async () => {
    const { page, context, said } = await openPage(browser);
    await page.goto(address);
    await outcome(page).waitFor();
    const rowsOf = async () => {
      const found: Record<string, string> = {};
      for (const name of process.env.CI === "true" ? ["figures", "months", "ranking", "sponsors", "overdue"] : ["figures", "ranking"]) {
        await pick(page, name);
        await page.getByRole("table").waitFor();
        found[name] = await page.getByRole("table").innerText();
      }
      return found;
    };
    const onSqlite = await rowsOf();
    expect(onSqlite.figures).toContain("Alder Shed");
    await pick(page, "board");
    await page.getByRole("button", { name: "5 rows" }).first().click();
    await expectSound(page, said, "rows");
    for (const [tab, text] of [
      ["Statements", "json_group_array"],
      ["Every strategy", "nest: 1 statement"],
      ["Plan", "seek · Item"],
    ] as const) {
      await page.getByRole("tab", { name: tab }).click();
      await page.getByText(text).first().waitFor();
      await expectSound(page, said, tab);
    }
    await page.getByText("PostgreSQL", { exact: true }).first().click();
    await page.getByText(/^PostgreSQL \d+/).waitFor();
    await outcome(page).waitFor();
    expect(await rowsOf()).toEqual(onSqlite);

    await write(page, change);
    await page.keyboard.press("ControlOrMeta+Enter");
    await page.getByText("5 rows; 1 statement").waitFor();
    const link = page.url();
    await page.evaluate("navigator.serviceWorker.ready");
    for (const engine of ["sqlite", "pglite"]) {
      await context.setOffline(true);
      await page.goto("about:blank");
      await page.goto(link.replace("engine=pglite", `engine=${engine}`));
      await page.getByText("This query came with the address.").waitFor();
      await page.getByText(/^(SQLite|PostgreSQL) \d+\.\d+.*, as it was kept here$/).waitFor();
      expect(await outcome(page).count(), engine).toBe(0);
      await expectSound(page, said, "from an address");
      await page.getByRole("button", { name: "Run" }).click();
      await page.getByText("5 rows; 1 statement").waitFor();
      await context.setOffline(false);
    }
    await page.goto("about:blank");
    await page.goto(`${address}#engine=none&query=%%%`);
    await outcome(page).waitFor();
    await context.close();
  },
);

inBrowser("what is written is checked and completed as it is written, and what cannot be run says why", async () => {
  const { page, context, said } = await openPage(browser, { colorScheme: "dark", viewport: { width: 700, height: 800 } });
  await page.goto(address);
  await outcome(page).waitFor();
  await write(page, 'import { from } from "gemach";\nimport { Loan } from "lending";\nexport default from(Loan).where((l) => l.');
  await page.keyboard.type("borr");
  await page.getByRole("option", { name: "borrower" }).waitFor();
  // The editor takes no key for a choice that was made before anybody can have read the list.
  await page.waitForTimeout(500);
  await page.keyboard.press("Enter");
  await expect.poll(() => page.getByRole("textbox", { name: "The query" }).innerText()).toContain("l.borrower");
  await page.keyboard.insertText('.nam.is("x"));');
  await page.getByText(/Line 3: Property 'nam' does not exist/).waitFor();
  await page.getByRole("button", { name: "Run" }).click();
  await page.getByText("The query could not be run.").waitFor();
  await expectSound(page, said, "an error");
  await write(page, "export default 7;");
  await page.keyboard.press("ControlOrMeta+Enter");
  await page.getByText(/list\(\) takes a query/).waitFor();
  expect(await page.evaluate("document.documentElement.scrollWidth")).toBeLessThanOrEqual(700);
  await context.close();
});
