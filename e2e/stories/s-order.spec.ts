import { expect } from "@playwright/test";
import { test } from "../house.ts";
import { ask, freeItem, go, goodCard, readsWell, scan, signIn, tab, tape } from "../kit.ts";

test("help opens beside a place and stops no scan; the guide is searched; the palette finds what is named", async ({
  page,
}) => {
  await signIn(page, "Ada Pellam");
  await go(page, "Desk");
  await page.getByRole("button", { name: "Help with this page" }).click();
  const help = page.getByRole("dialog", { name: "Lending" });
  await expect(help).toContainText("scan the card, or type a name");
  await readsWell(page, "help beside the desk");
  const card = await goodCard("HVH");
  await scan(page, card);
  await expect(page.getByRole("region", { name: "Patron", exact: true })).toBeVisible();
  await go(page, "Returns");
  await expect(page.getByRole("dialog", { name: "Taking back" })).toBeVisible();
  await page.getByRole("dialog").getByRole("link", { name: "Open the guide" }).click();
  await expect(page.getByRole("heading", { name: "At the counter" })).toBeVisible();
  await expect(page.getByRole("dialog")).toHaveCount(0);
  await readsWell(page, "the guide");
  await page.getByLabel("Search the guide").fill("not found");
  await page.getByRole("link", { name: "Fetch list" }).last().click();
  await expect(page.getByRole("region", { name: "Fetch list" })).toContainText("another copy is asked for at once");

  const find = async (words: string, option: string | RegExp) => {
    await page.keyboard.press("Control+k");
    const palette = page.getByRole("dialog", { name: "Find anything" });
    await palette.getByRole("combobox").fill(words);
    await expect(palette.getByRole("option", { name: option }).first()).toBeVisible();
    if (words === "dates") await readsWell(page, "the palette");
    await palette.getByRole("option", { name: option }).first().click();
    await expect(palette).toBeHidden();
  };
  await find("dates", "Settings: Dates and times");
  await expect(page.getByLabel("Dates", { exact: true })).toBeFocused();
  await readsWell(page, "settings");
  await find("shelf check", "Items: Shelf check");
  await expect(page).toHaveURL(/items\?tab=shelves/);
  const name = await ask("SELECT legal_name FROM patrons WHERE card = $1", card);
  await find(name, new RegExp(card));
  await expect(page).toHaveURL(/patrons\?patron=/);
  const title = await ask("SELECT name FROM titles WHERE author <> '' ORDER BY id LIMIT 1");
  await find(title, title);
  await expect(page.getByRole("heading", { level: 1 })).toContainText(title);
});

test("two administrators save settings at once: the second is told, keeps what was typed, and both changes stand", async ({
  page,
  browser,
}) => {
  const other = await (await browser.newContext()).newPage();
  for (const p of [page, other]) {
    await signIn(p, "Ada Pellam");
    await p.goto("/network?tab=settings");
    await expect(p.getByLabel(/^Idle minutes/)).toHaveValue("30");
  }
  await page.getByLabel(/^Idle minutes/).fill("55");
  await other.getByRole("region", { name: "Lending" }).getByLabel("Keep patron photographs").uncheck();
  await other.getByRole("button", { name: "Save lending" }).click();
  await expect(other.getByText("Not saved yet")).toHaveCount(0);
  const save = page.getByRole("button", { name: "Save stations and sign-in" });
  await save.click();
  await expect(page.getByRole("region", { name: "Stations and sign-in" }).getByRole("alert")).toBeVisible();
  await expect(page.getByLabel(/^Idle minutes/)).toHaveValue("55");
  await expect(page.getByLabel("Keep patron photographs")).not.toBeChecked();
  await save.click();
  await expect(page.getByText("Not saved yet")).toHaveCount(0);
  expect(await ask("SELECT (settings->>'idle_minutes') || ' ' || (settings->'counter'->>'photos') FROM network")).toBe(
    "55 false",
  );
  await other.context().close();
});

test("a list keeps its columns, sorting and filter for its person", async ({ page }) => {
  await signIn(page, "Maren Odell");
  const table = page.getByRole("table", { name: "Work by branch" });
  await expect(table.getByRole("row")).toHaveCount(10);
  await page.getByRole("button", { name: "Columns" }).click();
  await page.getByRole("menuitemcheckbox", { name: "Missing" }).click();
  await page.keyboard.press("Escape");
  await table.getByRole("button", { name: "Branch" }).click();
  await page.getByLabel("Filter").fill("t");
  await expect(table.getByRole("columnheader", { name: "Missing" })).toHaveCount(0);
  await go(page, "Desk");
  await page.goBack();
  await expect(page.getByLabel("Filter")).toHaveValue("t");
  await expect(table.getByRole("columnheader", { name: "Branch" })).toHaveAttribute("aria-sort", "ascending");
  await page.reload();
  await expect(table.getByRole("columnheader", { name: "Branch" })).toHaveAttribute("aria-sort", "ascending");
  await expect(table.getByRole("columnheader", { name: "Missing" })).toHaveCount(0);
  await signIn(page, "Ada Pellam");
  await expect(table.getByRole("columnheader", { name: "Missing" })).toBeVisible();
});

test("a network writes and reads dates and times in its own manner, on the screen and in the server's sentences", async ({
  page,
}) => {
  await signIn(page, "Ada Pellam");
  await page.goto("/network?tab=settings&section=dates");
  const dates = page.getByRole("region", { name: "Dates and times" });
  await dates.getByLabel("Dates", { exact: true }).selectOption({ label: "Tue Oct 6, 2026" });
  await dates.getByLabel("Times", { exact: true }).selectOption({ label: "2:30 pm" });
  await expect(dates).toContainText("A typed 10/6 is 6 October.");
  await dates.getByRole("button", { name: "Save dates and times" }).click();
  await expect(dates).toContainText("default: day");
  await expect(page.getByRole("button", { name: /^Branch Havenhead, \w+ Oct \d+, \d+:\d\d [ap]m/ })).toBeVisible();

  await go(page, "Desk");
  await scan(page, await goodCard("HVH"));
  await scan(page, await freeItem("HVH", "book"));
  const line = tape(page).locator("li").first();
  await expect(line).toContainText(/Due \w{3} (Oct|Nov) \d+/);
  await line.focus();
  await page.keyboard.press("Delete");
  await expect(line).toContainText("Undone");
  await page.getByRole("link", { name: "Open record" }).click();
  await tab(page, "History");
  await expect(page.getByRole("region", { name: "History" })).toContainText(/until \w{3} (Oct|Nov) \d+/);

  // Typed in figures, the month comes first; what is no date stays in the field and is told of.
  await page.goto("/calendars");
  const from = page.getByLabel("Closed from");
  await from.fill("12/24");
  await from.blur();
  await expect(from).toHaveValue("Thu Dec 24");
  await from.fill("24/12");
  await page.getByLabel("Reason").fill("Stocktaking");
  await page.getByRole("button", { name: "Preview" }).click();
  await expect(page.getByRole("alert").first()).toContainText("Enter a date such as Oct");
  await expect(from).toHaveValue("24/12");
  await from.press("ArrowDown");
  const days = page.getByRole("grid");
  await expect(days).toBeVisible();
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press("Enter");
  await expect(days).toBeHidden();
  await expect(from).toHaveValue(/^\w{3} Oct \d+$/);
});
