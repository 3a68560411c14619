import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, expect, inject, test } from "vitest";
import { buildExample } from "./support/built-example.js";
import { expectSound, openBrowser, openPage } from "./support/chromium.js";
import { type Engine, useEngines } from "./support/engines.js";
import { type RunningDesk, startFrontDesk, today } from "./support/front-desk.js";
import { type Installed, install } from "./support/installed.js";
import { seed } from "./support/seed.js";

// PostgreSQL in the process has no URL: its desk would be its own server.
const { all } = useEngines();
const desks = new Map<string, RunningDesk>();
let installed: Installed;
let browser: Browser | undefined;

beforeAll(async () => {
  installed = await install();
  const folder = await buildExample(installed, "front-desk", [[], ["--config", "vite.server.config.ts"]]);
  // All of them in CI, else SQLite and one server, another one the next time.
  const [lite, ...servers] = all().filter(({ name }) => name !== "pglite");
  const chosen = process.env.CI === "true" ? servers : servers.filter((_, i) => i === seed % servers.length);
  for (const engine of [lite as Engine, ...chosen]) desks.set(engine.name, await startFrontDesk(installed, folder, engine));
  if (inject("chromium") !== "") browser = await openBrowser(inject("chromium"));
});
afterAll(async () => {
  await browser?.close();
  for (const desk of desks.values()) await desk.close();
  installed.remove();
});

/** In a browser the desk of each engine in CI, else one of them, and another the next time. */
const inTurn = () => [...desks].filter((_, i) => process.env.CI === "true" || i === seed % desks.size);

const onDesks = async (work: (desk: RunningDesk, name: string) => Promise<void>) => {
  for (const [name, desk] of desks) await work(desk, name);
};

test("each view is the same page in both ways, with the statements that each of them costs", () =>
  onDesks(async (desk, name) => {
    const ask = await desk.session(1);
    for (const [path, naive, good] of [
      ["/items", 61, 2],
      ["/items?order=depot", 61, 2],
      ["/overdue", 121, 1],
      ["/items/1", 26, 1],
      ["/dashboard", 257, 5],
    ] as const) {
      const [one, other] = [await ask(path, { way: "naive" }), await ask(path)];
      expect(other.body.shown, `${name} ${path}`).toEqual(one.body.shown);
      expect([one.body.cost.statements, other.body.cost.statements], `${name} ${path}`).toEqual([naive, good]);
      expect(one.body.cost.findings.map(({ kind }: { kind: string }) => kind)).toContain("repeat");
      expect(other.body.cost.findings, `${name} ${path}`).toEqual([]);
    }
  }));

test("pages of a list follow on each other while others write", () =>
  onDesks(async (desk, name) => {
    const ask = await desk.session(2);
    const seen: number[] = [];
    let after = "";
    for (let page = 0; page < 20; page++) {
      const { body } = await ask(`/items?order=newest${after}`);
      seen.push(...body.shown.rows.map(({ id }: { id: number }) => id));
      if (page === 3) await ask(`/items/${seen[0]}`, { method: "DELETE" });
      if (page === 5) expect((await ask("/items", { json: { depotId: 7, categoryId: 1, name: "Newcomer" } })).status).toBe(201);
      if (body.shown.next === null) break;
      after = `&after=${encodeURIComponent(body.shown.next)}`;
    }
    expect(seen.length, name).toBe(240);
    expect(new Set(seen).size, name).toBe(240);
  }));

test("one thing is lent once, however many lend it at the same moment", () =>
  onDesks(async (desk, name) => {
    const [one, other] = [await desk.session(3), await desk.session(3)];
    const { body: members } = await one("/members");
    const { body: things } = await one("/items?state=in&order=newest");
    for (const { id } of things.shown.rows.slice(0, 3)) {
      const lent = await Promise.all(
        Array.from({ length: 8 }, (_, i) => (i % 2 === 0 ? one : other)(`/items/${id}/loans`, { json: { memberId: members[i % 4].id, due: "2026-06-05" } })),
      );
      expect(lent.map(({ status }) => status).toSorted(), name).toEqual([201, ...Array(7).fill(409)]);
      const { body } = await one(`/items/${id}`);
      expect(body.shown.loans.filter(({ returned }: { returned: string | null }) => returned === null).length).toBe(1);
    }
  }));

test("what is hostile, of another desk, or not as it must be, is refused with a clear answer, and changes nothing", () =>
  onDesks(async (desk, name) => {
    const [ask, foreign] = [await desk.session(1), await desk.session(2)];
    const form = (await ask("/items/1/form")).body;
    const theirs = (await foreign("/items?order=newest")).body.shown.rows[0].id;
    const patch = (json: unknown, path = "/items/1") => ask(path, { method: "PATCH", json });
    const { turn } = form;
    const other = (await ask("/items/2/form")).body;
    const refusals: readonly (readonly [
      string,
      Promise<{ status: number; type: string | null; body: { errors?: { pointer: string }[] } }>,
      number,
      (readonly string[])?,
    ])[] = [
      [
        "no session",
        fetch(`${desk.address}/api/items`).then(async (r) => ({ status: r.status, type: r.headers.get("content-type"), body: await r.json() })),
        401,
      ],
      ["a forged session", ask("/items", { headers: { cookie: "front-desk=2.Zm9yZ2Vk" } }), 401],
      ["a page of elsewhere", ask("/loans/1/return", { method: "POST", headers: { origin: "http://elsewhere.example" } }), 403],
      ["a thing of another district", ask(`/items/${theirs}`), 404],
      ["editing it", patch({ name: "Mine now" }, `/items/${theirs}`), 404],
      ["lending it", ask(`/items/${theirs}/loans`, { json: { memberId: 1, due: today } }), 404],
      ["removing it", ask(`/items/${theirs}`, { method: "DELETE" }), 404],
      ["taking it to another district", patch({ turn, districtId: 2 }), 422, ["/districtId"]],
      ["hiding it", patch({ turn, removed: "2026-01-01T00:00:00Z" }), 422, ["/removed"]],
      ["changing its depot's name", patch({ turn, depot: { name: "Mine" } }), 422, ["/depot"]],
      ["a member of another district", ask("/items/1/loans", { json: { memberId: 81, due: today } }), 422, ["/memberId"]],
      ["a forged cursor", ask("/items?after=bm8gY3Vyc29y"), 400],
      ["a cursor of another list", ask(`/items?order=depot&after=${encodeURIComponent((await ask("/items")).body.shown.next)}`), 400],
      ["unknown names", patch({ turn, colour: "red" }), 422, ["/colour"]],
      ["a repair of another thing", patch({ turn, repairs: [{ id: 10_000, what: "stolen" }] }), 422, ["/repairs/0"]],
      ["values of other kinds", patch({ turn, name: 7, repairs: [{ begun: "soon", what: "x", cost: "-1" }] }), 422],
      ["too long a name", patch({ turn, name: "x".repeat(81) }), 422, ["/name"]],
      ["no name", patch({ turn, name: " " }), 422],
      ["no JSON", patch("{"), 400],
      ["too much", patch({ turn, note: "x".repeat(100_000) }), 413],
      ["a day in the past", ask("/items/1/loans", { json: { memberId: 1, due: "2020-01-01" } }), 422, ["/due"]],
      ["no number", ask("/items/one"), 422],
      ["nothing", ask("/nowhere"), 404],
    ];
    for (const [what, answered, status, pointers] of refusals) {
      const { status: found, type, body } = await answered;
      expect([found, type], `${name}: ${what}`).toEqual([status, "application/problem+json"]);
      if (pointers !== undefined)
        expect(
          body.errors?.map(({ pointer }) => pointer),
          `${name}: ${what}`,
        ).toEqual(pointers);
    }
    expect((await ask("/items/1/form")).body).toEqual(form);
    expect((await ask("/items/2/form")).body).toEqual(other);
    const hostile = "'); drop table item; -- <script>alert(1)</script> \u202e";
    expect((await patch({ turn: other.turn, note: hostile }, "/items/2")).body.note).toBe(hostile);
    expect((await ask(`/items?text=${encodeURIComponent("<script>")}`)).body.shown.rows.map(({ id }: { id: number }) => id)).toEqual([2]);
    const page = await fetch(desk.address);
    expect(page.headers.get("content-security-policy")).toMatch(/^default-src 'none'; script-src 'self'; style-src 'self' 'nonce-/);
  }));

const inBrowser = (name: string, work: (browser: Browser) => Promise<void>) =>
  test.skipIf(inject("chromium") === "")(name, async () => work(browser as Browser));

const enter = async (page: Page, address: string, district: string) => {
  await page.goto(address);
  await page.getByRole("button", { name: district }).click();
  await page.getByRole("table").waitFor();
};

inBrowser("a day at the desk, on each engine", async (opened) => {
  for (const [name, desk] of inTurn()) {
    const { page, context, said } = await openPage(opened);
    // The pages are the same on each engine.
    const sound = async (view: string) => (name === "sqlite" ? await expectSound(page, said, view) : expect(said, `${name}: ${view}`).toEqual([]));
    await page.goto(desk.address);
    await page.getByRole("button", { name: "Northbank" }).waitFor();
    await sound("which desk");
    await enter(page, desk.address, "Northbank");
    await page.getByText(/^2 statements, \d+ rows/).waitFor();
    await page.getByText("naive", { exact: true }).click();
    await page.getByText("61 statements").waitFor();
    await page.getByRole("button", { name: "Open the ledger" }).click();
    await page.getByText("20 statements for Depot at items.ts").waitFor();
    await sound("the ledger");
    await page.getByRole("button", { name: "Close the ledger" }).click();
    await page.getByText("good", { exact: true }).click();

    await page.getByLabel("Look for").fill("zzz");
    await page.getByText("Nothing here is like that").waitFor();
    await sound("nothing");
    await page.getByLabel("Look for").fill("jigsaw");
    await page.getByRole("combobox", { name: "State" }).click();
    await page.getByRole("option", { name: "here" }).click();
    await expect.poll(() => page.getByText(/^until /).count()).toBe(0);
    await page.getByRole("link", { name: "Jigsaw" }).first().click();
    await page.getByText("It is here.").waitFor();
    await sound("a thing");

    await page.getByRole("button", { name: "Lend" }).click();
    await page.getByRole("combobox", { name: "Member" }).fill("ada");
    await page
      .getByRole("option", { name: /^Ada \w+$/ })
      .first()
      .click();
    await page.getByLabel("Due back").fill("2026-05-01");
    await page.getByRole("dialog").getByRole("button", { name: "Lend" }).click();
    await page.getByText("is in the past").waitFor();
    said.length = 0; // The refusal, which the browser itself reports.
    await sound("a refusal");
    await page.getByLabel("Due back").fill("2026-06-07");
    await page.getByRole("dialog").getByRole("button", { name: "Lend" }).click();
    await page.getByText(/It is out until 2026-06-07, with Ada/).waitFor();
    await page.getByRole("button", { name: "Take back" }).click();
    await page.getByText("It is here.").waitFor();

    await page.getByRole("link", { name: "Edit" }).click();
    await page.getByLabel("Name").fill("Jigsaw with a name ".repeat(4).trim());
    await page.getByRole("button", { name: "Add a repair" }).click();
    const last = page.getByLabel(/What was done in repair \d+/).last();
    await last.fill("");
    await page.getByRole("button", { name: "Save" }).click();
    await page.getByText("breaks the rule 'described'").waitFor();
    said.length = 0;
    await sound("a form with a mistake");
    await last.fill("New handle");
    await page.getByRole("button", { name: "Save" }).click();
    await page.getByRole("cell", { name: "New handle" }).waitFor();

    await page.getByRole("link", { name: "Overdue" }).click();
    await page.getByText("1 statement, 41 rows").waitFor();
    await sound("overdue");
    const first = page.getByRole("row").nth(1);
    const label = await first.getByRole("button").getAttribute("aria-label");
    await first.getByRole("button").click();
    await page.getByRole("button", { name: label ?? "" }).waitFor({ state: "detached" });
    await page.getByRole("link", { name: "Figures" }).click();
    await page.getByRole("img", { name: /Loans by month: 2025-0\d \d+/ }).waitFor();
    await sound("figures");
    await page.goto(`${desk.address}/things/999999`);
    await page.getByText("There is no such thing at this desk.").waitFor();
    await page.goto(`${desk.address}/nowhere`);
    await page.getByText("There is no such page.").waitFor();
    await context.close();
  }
});

inBrowser("two people edit one thing: the second one sees what the first has written, and decides", async (opened) => {
  for (const [name, desk] of inTurn()) {
    const [one, other] = [await openPage(opened), await openPage(opened, { colorScheme: "dark" })];
    for (const { page } of [one, other]) {
      await enter(page, desk.address, "Millside");
      await page.getByRole("link").nth(5).click();
      await page.getByRole("link", { name: "Edit" }).click();
      await page.getByLabel("Note").waitFor();
    }
    await one.page.getByLabel("Note").fill("Lost its lid");
    await one.page.getByRole("button", { name: "Save" }).click();
    await one.page.getByText("Lost its lid").waitFor();
    await other.page.getByLabel("Note").fill("Has a new lid");
    await other.page.getByRole("button", { name: "Save" }).click();
    const alert = other.page.getByRole("alert");
    await alert.getByText("Somebody else changed this thing").waitFor();
    expect(await alert.getByRole("row").nth(1).innerText(), name).toBe("note\tHas a new lid\tLost its lid");
    other.said.length = 0;
    await expectSound(other.page, other.said, `${name}: a conflict`);
    await other.page.getByRole("button", { name: "Write mine over theirs" }).click();
    await other.page.getByText("Has a new lid").waitFor();
    expect(one.said).toEqual([]);
    await Promise.all([one.context.close(), other.context.close()]);
  }
});

inBrowser("in the dark, on a narrow window, and with the keys alone", async (opened) => {
  const desk = desks.get("sqlite") as RunningDesk;
  const ask = await desk.session(3);
  const long = { turn: 1, name: "W".repeat(80), note: "x".repeat(300), repairs: [{ begun: today, what: "y".repeat(120) }] };
  expect((await ask("/items/481", { method: "PATCH", json: long })).status).toBe(200);
  const { page, context, said } = await openPage(opened, { colorScheme: "dark", viewport: { width: 700, height: 800 } });
  await page.goto(desk.address);
  await page.getByRole("button", { name: "Old Harbour" }).focus();
  await page.keyboard.press("Enter");
  await page.getByRole("table").waitFor();
  for (const path of ["/?text=WW", "/overdue", "/dashboard", "/things/481", "/things/481/edit"]) {
    await page.goto(desk.address + path);
    await page.getByRole("heading", { level: 2 }).first().waitFor();
    expect(await page.evaluate("document.documentElement.scrollWidth"), path).toBeLessThanOrEqual(700);
    await expectSound(page, said, `dark ${path}`);
  }
  await context.close();
});
