import { expect, type Page } from "@playwright/test";
import { test } from "../house.ts";
import { ask, freeItem, go, goodCard, readsWell, scan, signIn, tab, tape, workAt } from "../kit.ts";

// Patrons look after themselves: on a phone, without scripts.

const at = (path: string) => new URL(path, process.env.NEVRIN_URL).href;

/** Gives a patron a PIN at the desk. */
async function givePIN(page: Page, card: string, pin: string) {
  await go(page, "Desk");
  await scan(page, card);
  await expect(tape(page).locator("li").first()).toBeVisible();
  await page.goto(`/patrons?patron=${await ask("SELECT id FROM patrons WHERE card = $1", card)}`);
  const change = page.getByRole("region", { name: "Card and PIN" });
  await tab(page, "Record");
  await change.getByRole("button", { name: "Edit" }).click();
  await change.getByLabel(/^PIN/).fill(pin);
  await change.getByRole("button", { name: "Set PIN" }).click();
  await expect(change.getByRole("status")).toContainText(`The PIN is ${pin}`);
}

test("a patron signs in on a phone, renews, finds something, waits for it, pauses it and signs out", async ({
  page,
  browser,
}) => {
  await signIn(page, "Jory Tamm");
  await workAt(page, "Havenhead");
  const card = await goodCard("HVH");
  const item = await freeItem("HVH", "book");
  await givePIN(page, card, "4711");
  await go(page, "Desk");
  await scan(page, card);
  await scan(page, item);
  await expect(tape(page).locator("li").first()).toContainText("Lent");
  const lent = await ask("SELECT t.name FROM items i JOIN titles t ON t.id = i.title_id WHERE i.barcode = $1", item);

  const phone = await browser.newContext({ javaScriptEnabled: false, viewport: { width: 390, height: 844 } });
  const own = await phone.newPage();
  await own.goto(at("/mine"));
  await own.getByLabel("Card number").fill(card);
  await own.getByLabel("Your PIN").fill("1111");
  await own.getByRole("button", { name: "Sign in" }).click();
  await expect(own.getByRole("alert")).toContainText("do not match");
  await own.getByLabel("Your PIN").fill("4711");
  await own.getByRole("button", { name: "Sign in" }).click();
  await expect(own.getByRole("list", { name: "On loan" })).toContainText(lent);
  const clean = async () => {
    // Rules that need a script in the page run in a browser of their own; here the tree is looked at as it was sent.
    const reader = await browser.newContext({
      viewport: { width: 390, height: 844 },
      storageState: await phone.storageState(),
    });
    const read = await reader.newPage();
    await read.goto(own.url());
    await readsWell(read, "own page");
    await reader.close();
  };
  await clean();

  await own
    .getByRole("button", { name: `Renew ${lent}`, exact: true })
    .first()
    .click();
  await expect(own.getByRole("status").or(own.getByRole("alert"))).toContainText(/Renewed, due|due/);

  // All copies of something are out: it is waited for, paused, and picked up elsewhere.
  const title = await ask(
    `SELECT t.name FROM titles t WHERE t.name ~ '^[A-Za-z ]+$' AND (SELECT count(*) FROM titles o WHERE o.name = t.name) = 1
     AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.title_id = t.id AND h.closed_at IS NULL)
     AND EXISTS (SELECT 1 FROM items i WHERE i.title_id = t.id AND i.material = 'book')
     AND NOT EXISTS (SELECT 1 FROM items i WHERE i.title_id = t.id AND (i.material <> 'book' OR i.standing <> 'in_use'
       OR NOT EXISTS (SELECT 1 FROM loans l WHERE l.item_id = i.id AND l.returned_at IS NULL AND l.lost_at IS NULL)))
     ORDER BY t.id LIMIT 1`,
  );
  await own.getByRole("link", { name: "Search", exact: true }).click();
  await own.getByLabel(/^Title, author, subject/).fill(title);
  await own.getByRole("button", { name: "Search" }).click();
  const found = own.getByRole("list", { name: "Results" });
  await expect(found).toContainText("All copies are out");
  await clean();
  await own.getByRole("button", { name: `Place hold on ${title}`, exact: true }).click();
  await expect(own.getByRole("status")).toContainText(`${title}: Waiting for a copy`);
  const holds = own.getByRole("list", { name: "Holds" });
  await expect(holds).toContainText("you are 1st");
  await own.getByText("Pause, or change pickup branch").click();
  await own.getByLabel("Pause until").fill("2027-01-15");
  await own.getByRole("button", { name: "Pause", exact: true }).click();
  await expect(holds).toContainText("Paused until Fri 15 Jan 2027");
  await own.getByText("Pause, or change pickup branch").click();
  await holds.getByLabel("Pick up at").selectOption({ label: "Saltmere" });
  await own.getByRole("button", { name: "Change", exact: true }).click();
  await expect(own.getByRole("status")).toContainText("held at Saltmere");
  await own.getByRole("button", { name: `Resume the hold on ${title}` }).click();
  await expect(holds).toContainText("Waiting for a copy, pickup at Saltmere");
  await own.getByRole("button", { name: `Cancel the hold on ${title}` }).click();
  await expect(own.getByRole("status")).toContainText("The hold is cancelled");
  await expect(own.getByText("You have no holds.")).toBeVisible();

  await own.getByRole("button", { name: "Sign out" }).click();
  await expect(own.getByRole("heading", { name: /^Sign in/ })).toBeVisible();
  await own.goBack();
  await own.reload();
  await expect(own.getByRole("heading", { name: /^Sign in/ })).toBeVisible();
  await phone.close();
});
