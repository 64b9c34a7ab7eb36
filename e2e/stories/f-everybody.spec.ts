import { expect, type Page } from "@playwright/test";
import { test } from "../house.ts";
import { ask, asks, freeItem, go, goodCard, readsWell, scan, scanLine, signIn, tape, workAt } from "../kit.ts";

/** Nothing of the page is wider than the window. */
async function fits(page: Page, what: string) {
  const wide = await page.evaluate(() => ({
    page: document.documentElement.scrollWidth - window.innerWidth,
    place: (document.querySelector("#place")?.scrollWidth ?? 0) - (document.querySelector("#place")?.clientWidth ?? 0),
  }));
  expect.soft(wide, what).toEqual({ page: 0, place: 0 });
}

test("axe-core finds nothing in asks, signs, drawers, dialogs, calendars and terms, light and dark", async ({
  page,
}) => {
  const item = await ask(
    "SELECT barcode FROM items i WHERE note = '' AND branch_code = 'SLM' AND at_branch = 'SLM' AND standing = 'in_use' AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id) ORDER BY id DESC LIMIT 1",
  );
  await ask("UPDATE items SET note = 'One of two discs' WHERE barcode = $1 RETURNING id", item);
  const boy = await ask("SELECT card FROM patrons WHERE household_id = 1 AND class = 'child'");
  const film = await freeItem("SLM", "film");
  await ask(`UPDATE items SET own_terms = '{"consent_needed": true}' WHERE barcode = $1 RETURNING id`, film);
  await signIn(page, "Maren Odell");
  await workAt(page, "Saltmere");
  for (const theme of ["light", "dark"]) {
    if (theme === "dark") {
      await page.getByRole("button", { name: /^Maren Odell/ }).click();
      await page.getByRole("menuitemcheckbox", { name: /^Dark/ }).click();
      await page.keyboard.press("Escape");
      await expect(page.locator("html")).toHaveAttribute("data-theme", "dark");
    }
    await go(page, "Returns");
    await scan(page, item);
    await expect(asks(page).first()).toContainText("One of two discs");
    await readsWell(page, `${theme}: a run with an ask and a sign`);
    await go(page, "Desk");
    await scan(page, boy);
    await scan(page, film);
    await expect(asks(page).first()).toContainText("the guardian refused");
    await readsWell(page, `${theme}: desk with an ask`);
    await tape(page).getByRole("button", { name: "Why" }).first().click();
    await expect(page.getByRole("dialog")).toBeVisible();
    await readsWell(page, `${theme}: drawer`);
    await page.keyboard.press("Escape");
    await tape(page).getByRole("link", { name: "Loan terms" }).first().click();
    await expect(page.getByRole("table", { name: "Terms of this loan" })).toBeVisible();
    await readsWell(page, `${theme}: terms`);
    await go(page, "Calendars");
    await expect(page.getByRole("region", { name: "Exceptions" })).toBeVisible();
    await readsWell(page, `${theme}: calendars`);
    await page.keyboard.press("Control+k");
    await expect(page.getByRole("dialog")).toBeVisible();
    await readsWell(page, `${theme}: palette`);
    await page.keyboard.press("Escape");
    // In the light all places are looked at in a story of their own.
    for (const place of theme === "dark" ? ["Today", "Rulebook"] : []) {
      await go(page, place);
      await expect(page.locator("[aria-busy]")).toHaveCount(0);
      await readsWell(page, `${theme}: ${place}`);
    }
  }
});

test("at 200 % zoom everything fits and the desk can be worked; lists fit a phone", async ({ page }) => {
  const [card, book] = [await goodCard("SLM"), await freeItem("SLM", "book")];
  await signIn(page, "Jory Tamm");
  await page.setViewportSize({ width: 640, height: 400 }); // 1280 x 800 at 200 %
  for (const place of [
    "Today",
    "Returns",
    "Patrons",
    "Holds",
    "Fetch list",
    "Courier",
    "Notices",
    "Calendars",
    "Items",
    "Rulebook",
  ]) {
    await page.getByRole("button", { name: "Menu" }).click();
    await page
      .getByRole("dialog")
      .getByRole("link", { name: new RegExp(`^${place}`) })
      .click();
    await expect(page.getByRole("heading", { level: 1 })).toBeVisible();
    await expect(page.locator("[aria-busy]")).toHaveCount(0);
    await fits(page, place);
  }
  await page.goto("/desk");
  await scan(page, card);
  await scan(page, book);
  await expect(tape(page).getByText("Lent", { exact: true })).toBeVisible();
  await fits(page, "Desk");
  await tape(page).getByRole("button", { name: /^Why/ }).click();
  await expect(page.getByRole("dialog")).toBeVisible();
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: /^Done/ }).click();
  await expect(page.getByRole("region", { name: "Patron" })).toHaveCount(0);

  await page.setViewportSize({ width: 360, height: 720 });
  for (const path of ["/fetch", "/courier"]) {
    await page.goto(path);
    await expect(page.getByRole(path === "/fetch" ? "list" : "table").first()).toBeVisible();
    await fits(page, path);
  }
});

test("the keys: they go where they say, answer nothing by accident, and can be switched off", async ({ page }) => {
  await signIn(page, "Jory Tamm");
  await expect(page).toHaveTitle("Today – Nevrin");
  // On the scan line a letter alone does nothing; with g and Enter it goes.
  await scanLine(page).focus();
  await page.keyboard.type("g", { delay: 200 });
  await expect(page.getByText("Letter and Enter go to")).toBeVisible();
  await page.keyboard.type("r", { delay: 900 });
  await page.waitForTimeout(1200);
  await expect(page).toHaveURL(/\/$/);
  await page.keyboard.press("Enter");
  await expect(page).toHaveURL(/\/returns/);
  await expect(page).toHaveTitle("Returns – Nevrin");
  // A name that begins with such letters is a name.
  await page.keyboard.type("greta", { delay: 250 });
  await expect(scanLine(page)).toHaveValue("greta");
  await expect(page).toHaveURL(/\/returns/);
  await scanLine(page).fill("");
  // Where nothing takes text they act at once.
  await page.getByRole("radio", { name: "From a bin" }).focus();
  await page.keyboard.press("g");
  await expect(page.getByText("Go to", { exact: true })).toBeVisible();
  await page.waitForTimeout(200); // a hand is no scanner
  await page.keyboard.press("f");
  await expect(page).toHaveURL(/\/fetch/);
  // Rows are walked with arrows; w tells the why of the chosen one and gives the focus back.
  const loan = await ask(
    "SELECT id::text FROM loans WHERE returned_at IS NULL AND branch_code = 'SLM' ORDER BY id DESC LIMIT 1",
  );
  await page.goto(`/rulebook?loan=${loan}`);
  const row = page.getByRole("table").getByRole("row").nth(1);
  await row.focus();
  await page.keyboard.press("ArrowDown");
  const second = page.getByRole("table").getByRole("row").nth(2);
  await expect(second).toBeFocused();
  await page.keyboard.press("w");
  await expect(page.getByRole("dialog")).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("dialog")).toHaveCount(0);
  await expect(second).toBeFocused();
  await page.keyboard.press("?");
  await expect(page.getByRole("dialog", { name: "Keyboard shortcuts" })).toBeVisible();
  await page.keyboard.press("Escape");
  // Switched off, they are letters.
  await page.getByRole("button", { name: /^Jory Tamm/ }).click();
  await page.getByRole("menuitemcheckbox", { name: /^Single keys/ }).click();
  await second.focus();
  await page.keyboard.press("g");
  await page.keyboard.press("d");
  await expect(scanLine(page)).toHaveValue("gd");
  await expect(page).toHaveURL(/\/rulebook/);
  // The skip link leads past the rail.
  await page.goto("/fetch");
  await expect(scanLine(page)).toBeFocused();
  const skip = page.getByRole("link", { name: "Skip to content" });
  await skip.focus();
  await expect(skip).toBeInViewport();
  await page.keyboard.press("Enter");
  await expect(page.locator("#place")).toBeFocused();
});

test("a list is sorted, narrowed, given other columns, exported and printed whole", async ({ page }) => {
  await signIn(page, "Jory Tamm");
  await go(page, "Holds");
  const list = page.getByRole("table", { name: "Open holds" });
  await expect(list).toBeVisible();
  const count = Number(await list.getAttribute("aria-rowcount")) - 1;
  expect(count).toBeGreaterThan(20);
  await list.getByRole("button", { name: /^Title/ }).click();
  const titles = async () => (await list.getByRole("row").locator("td:nth-child(2)").allTextContents()).slice(0, 12);
  const sorted = await titles();
  expect(sorted).toEqual([...sorted].sort((a, b) => a.localeCompare(b, "en", { numeric: true })));
  await expect(list.getByRole("columnheader", { name: /^Title/ })).toHaveAttribute("aria-sort", "ascending");
  await page.getByRole("searchbox", { name: "Filter" }).fill("on the shelf");
  await expect(page.getByText(new RegExp(`^\\d+ of ${count}$`))).toBeVisible();
  await page.getByRole("searchbox", { name: "Filter" }).fill("");
  await page.getByRole("button", { name: "Columns" }).click();
  await page.getByRole("menuitemcheckbox", { name: /^Placed/ }).click();
  await page.keyboard.press("Escape");
  await expect(list.getByRole("columnheader", { name: /^Placed/ })).toHaveCount(0);
  const download = page.waitForEvent("download");
  await page.getByRole("button", { name: /CSV$/ }).click();
  expect((await download).suggestedFilename()).toBe("open-holds.csv");
  // On paper every row is drawn, though on the screen only those in sight are.
  await page.evaluate(() => window.dispatchEvent(new Event("beforeprint")));
  await expect(list.getByRole("row")).toHaveCount(count + 1);
  await page.evaluate(() => window.dispatchEvent(new Event("afterprint")));
  // Several are chosen, by hand and by key, and one act is done to all.
  await list.getByRole("row").nth(1).getByRole("checkbox").check();
  await list.getByRole("row").nth(2).focus();
  await page.keyboard.press("Space");
  const chosen = page.getByRole("group", { name: "With the selected rows" });
  await expect(chosen).toContainText("2 chosen");
  await chosen.getByRole("button", { name: "Cancel these 2 holds" }).click();
  const asks = page.getByRole("form", { name: "Cancel 2 holds" });
  await expect(asks.getByRole("button", { name: "Cancel all 2" })).toBeDisabled();
  await asks.getByLabel("Reason").fill("Lost by the publisher");
  await asks.getByRole("button", { name: "Cancel all 2" }).click();
  await expect(list).toHaveAttribute("aria-rowcount", String(count - 1));
  await expect(chosen).toHaveCount(0);
});
