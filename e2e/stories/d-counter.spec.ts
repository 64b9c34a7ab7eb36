import { expect } from "@playwright/test";
import { test } from "../house.ts";
import { ask, freeItem, go, goodCard, goodCards, scan, signIn, sitAt, tab, workAt } from "../kit.ts";

test.describe.configure({ mode: "serial" });

test("a note met at a return is answered with a key, and scanning goes on meanwhile", async ({ page }) => {
  const telescope = await ask("SELECT barcode FROM items WHERE note LIKE 'Eyepiece%'");
  const other = await freeItem("HVH", "book");
  await signIn(page, "Bea Lindgard");
  await go(page, "Returns");
  await scan(page, telescope);
  const asked = page.getByRole("group", { name: "Question" });
  await expect(asked).toContainText("Eyepiece cap missing since May.");
  await expect(page.getByLabel("Destination", { exact: true })).toContainText("A note");
  await scan(page, other); // nothing waits for the answer
  await expect(page.getByLabel("Destination", { exact: true })).toContainText("Shelve here");
  await page.getByRole("button", { name: "Finish batch" }).click();
  await expect(page.getByText(/Still open: Telescope/)).toBeVisible();
  await page.getByLabel("Scan field").focus();
  await page.keyboard.press("2");
  await page.keyboard.press("Enter");
  await expect(asked).toHaveCount(0);
  await expect(page.getByRole("region", { name: "Scanned items" })).toContainText("Aside: Repair");

  await page.getByRole("link", { name: /^Telescope/ }).click();
  await expect(page.getByText("In repair", { exact: true })).toBeVisible();
  await page.getByRole("button", { name: "In use" }).click();
  await expect(page.getByRole("button", { name: "In use" })).toHaveCount(0);
  await page.getByLabel("Note, shown at every return").fill("");
  await page.getByRole("button", { name: "Save note" }).click();
  await expect(page.getByRole("region", { name: "History" })).toContainText("Note removed: Eyepiece cap");
});

test("a guardian's no is a stop with its why; a supervisor goes past it with a reason only", async ({ page }) => {
  const boy = await ask("SELECT card FROM patrons WHERE household_id = 1 AND class = 'child'");
  const film = await freeItem("SLM", "film");
  await ask(`UPDATE items SET own_terms = '{"consent_needed": true}' WHERE barcode = $1 RETURNING id`, film);
  await signIn(page, "Jory Tamm");
  await go(page, "Desk");
  await scan(page, boy);
  await scan(page, film);
  const tape = page.getByRole("region", { name: "Scanned items" });
  await expect(tape).toContainText("For older readers; the guardian refused.");
  await expect(page.getByRole("button", { name: /^Lend anyway/ })).toHaveCount(0);
  await tape.getByRole("button", { name: "Why" }).click();
  await expect(page.getByRole("dialog")).toContainText("The item’s own terms say yes");
  await page.keyboard.press("Escape");
  await tape.getByRole("link", { name: "Loan terms" }).click();
  await expect(page.getByRole("row", { name: /^Consent needed/ })).toContainText("The item's own terms");

  await signIn(page, "Maren Odell");
  await workAt(page, "Saltmere");
  await go(page, "Desk");
  await scan(page, boy);
  await scan(page, film);
  const asked = page.getByRole("group", { name: "Question" });
  await asked.getByRole("button", { name: /^Lend anyway/ }).click();
  await expect(asked.getByPlaceholder(/Enter a reason first/)).toBeFocused();
  await asked.getByLabel("Reason").fill("His mother stands beside him");
  await asked.getByRole("button", { name: /^Lend anyway/ }).click();
  await expect(tape.getByText("Lent", { exact: true })).toBeVisible();
  await tape.getByRole("button", { name: /^Why/ }).first().click();
  await expect(page.getByRole("dialog")).toContainText("His mother stands beside him");
});

test("a card that has run out is extended on the spot", async ({ page }) => {
  const card = await ask(
    "SELECT card FROM patrons WHERE standing = 'active' AND class = 'adult' AND balance = 0 AND card_until < '2026-10-06' ORDER BY id LIMIT 1",
  );
  const book = await freeItem("SLM", "book");
  await signIn(page, "Jory Tamm");
  await go(page, "Desk");
  await scan(page, card);
  const patron = page.getByRole("region", { name: "Patron" });
  await expect(patron.getByRole("alert")).toContainText("The card expired");
  await patron.getByRole("button", { name: "Renew card" }).click();
  await expect(patron.getByRole("alert")).toHaveCount(0);
  await scan(page, book);
  await expect(page.getByRole("region", { name: "Scanned items" }).getByText("Lent", { exact: true })).toBeVisible();
});

test("two people at one item: the second is told at once", async ({ page, browser }) => {
  const [[one, two], book] = [await goodCards("SLM"), await freeItem("SLM", "book")];
  await signIn(page, "Jory Tamm");
  await go(page, "Desk");
  await scan(page, one);
  await expect(page.getByRole("region", { name: "Patron" })).toContainText("Adult");
  const other = await (await browser.newContext()).newPage();
  await signIn(other, "Bea Lindgard");
  await workAt(other, "Saltmere");
  await go(other, "Desk");
  await scan(other, two);
  await expect(other.getByRole("region", { name: "Patron" })).toContainText("Adult");
  await Promise.all([scan(page, book), scan(other, book)]);
  const lent = (p: typeof page) => p.getByRole("region", { name: "Scanned items" }).getByText("Lent", { exact: true });
  const told = (p: typeof page) =>
    p.getByRole("region", { name: "Scanned items" }).getByText(/Still on loan|Another station/);
  await expect(lent(page).or(told(page))).toBeVisible();
  await expect(lent(other).or(told(other))).toBeVisible();
  expect((await lent(page).count()) + (await lent(other).count())).toBe(1);
  // Whoever was second takes it back with one key, and lends it; the first sees that on the card that is open there.
  const [first, second] = (await lent(page).count()) === 1 ? [page, other] : [other, page];
  await expect(second.getByText(/Still on loan to /).first()).toBeVisible();
  await second.getByRole("button", { name: "Return it and lend it" }).click();
  await expect(lent(second)).toBeVisible();
  await expect(second.getByRole("region", { name: "Scanned items" })).toContainText("Returned from");
  await expect(first.getByRole("region", { name: "Patron" }).getByText("On loan").locator("+ dd")).toHaveText(/^0/);
  await other.context().close();
});

test("parts to count stand on the sign; copies found by their title close with the next scan", async ({ page }) => {
  const whole = await freeItem("HVH", "book");
  const inParts = await freeItem("HVH", "film");
  await ask("UPDATE items SET parts = 3, parts_say = 'two discs, a map' WHERE barcode = $1 RETURNING id", inParts);
  const title = await ask(
    "SELECT t.name FROM loans l JOIN items i ON i.id = l.item_id JOIN titles t ON t.id = i.title_id WHERE l.returned_at IS NULL AND l.lost_at IS NULL ORDER BY l.id LIMIT 1",
  );
  await signIn(page, "Bea Lindgard");
  await go(page, "Returns");
  const sign = page.getByLabel("Destination", { exact: true });
  await scan(page, inParts);
  await expect(sign).toContainText("Count 3 parts: two discs, a map");
  await scan(page, title);
  const found = page.getByRole("region", { name: "Copies on loan" });
  await expect(found).toBeVisible();
  await scan(page, whole);
  await expect(found).toBeHidden();
  await expect(sign).not.toContainText("Count");
});

test("at a station in the sort room returns begin from the bin", async ({ page }) => {
  await signIn(page, "Ada Pellam");
  await workAt(page, "Havenhead");
  await go(page, "Network");
  await tab(page, "Stations");
  await page.getByRole("button", { name: "Add station" }).click();
  const form = page.getByRole("form", { name: "Add station" });
  await form.getByLabel("Name").fill("Sort room");
  await form.getByLabel(/^Sort room/).check();
  await form.getByRole("button", { name: "Add" }).click();
  await expect(page.getByRole("listitem").filter({ hasText: "Havenhead, Sort room" })).toBeVisible();
  await sitAt(page, "Sort room");
  await go(page, "Returns");
  await expect(page.getByRole("radio", { name: "From a bin" })).toBeChecked();
});

test("who comes next at a station finds nothing of the person before", async ({ page }) => {
  await signIn(page, "Maren Odell");
  await workAt(page, "Saltmere");
  await go(page, "Fetch");
  await page.getByRole("button", { name: "Not found", exact: true }).first().click();
  const missed = page.getByRole("list", { name: "Not found" });
  await expect(missed).toBeVisible();
  await go(page, "Desk");
  await scan(page, await goodCard("SLM"));
  await expect(page.getByRole("region", { name: "Patron", exact: true })).toBeVisible();
  await page.getByLabel("Scan field").fill("half a na");
  await page.getByRole("button", { name: /^Maren Odell/ }).click();
  await page.getByRole("menuitem", { name: "Sign out" }).click();
  await page.getByRole("button", { name: /^Jory Tamm/ }).click();
  await go(page, "Desk");
  await expect(page.getByText("Scan a card to begin", { exact: false })).toBeVisible();
  await expect(page.getByLabel("Scan field")).toHaveValue("");
  await go(page, "Fetch");
  await expect(page.getByRole("region", { name: "To fetch" })).toBeVisible();
  await expect(missed).toBeHidden();
});
