import { expect, type Page } from "@playwright/test";
import { test } from "../house.ts";
import {
  ask,
  asks,
  branchOf,
  copyAt,
  finishBin,
  freeItem,
  freeItems,
  freePort,
  fromBin,
  go,
  goodCard,
  goodCards,
  keepingAddresses,
  loansOf,
  scan,
  scanLine,
  signIn,
  slow,
  tab,
  tape,
  workAt,
} from "../kit.ts";

const lent = (page: Page) => tape(page).getByText("Lent", { exact: true });

test("a card and ten items without a pause, on a line that answers late: each is lent and on the tape", async ({
  page,
}) => {
  const [card, items] = [await goodCard("SLM"), await freeItems("SLM", "book", 10)];
  await signIn(page, "Jory Tamm");
  await go(page, "Desk");
  await slow(page, 600);
  await scan(page, card);
  for (const item of items) await scan(page, item);
  // All of them stand on the tape at once, long before the first is answered.
  for (const item of items) await expect(tape(page)).toContainText(item, { timeout: 500 });
  await page.keyboard.press("Control+Enter"); // done with this patron, once they are answered
  await expect(page.getByRole("status").filter({ hasText: /scans are answered/ })).toBeVisible();
  await page.getByRole("button", { name: "Keep going" }).click();
  await expect(lent(page)).toHaveCount(10);
  for (const item of items) await expect(tape(page)).toContainText(item);
  expect(await loansOf(card)).toBe("10");
  await page.keyboard.press("Control+Enter");
  await expect(page.getByRole("region", { name: "Patron" })).toHaveCount(0);
});

test("two cards in a row: each item goes to the card before it, whatever the answers", async ({ page }) => {
  const [[one, two], items] = [await goodCards("SLM"), await freeItems("SLM", "book", 4)];
  await signIn(page, "Jory Tamm");
  await slow(page, 300);
  // Scanned at Today: the first card opens the desk, and all that follows it goes there.
  for (const text of [one, items[0], items[1], two, items[2]]) await scan(page, text!);
  await expect(page).toHaveURL(/\/desk/);
  await expect.poll(() => loansOf(two)).toBe("1");
  expect(await loansOf(one)).toBe("2");
  await expect(lent(page)).toHaveCount(1);
  // What was answered after the patron had gone is told still.
  for (const text of [one, "31846999999997", two]) await scan(page, text);
  const before = page.getByRole("region", { name: "From the previous patron" });
  await expect(before).toContainText("no item here has it");
  await before.getByRole("button", { name: "Dismiss" }).click();
  await expect(before).toHaveCount(0);
  // A card that is not taken: what follows it is not lent.
  await scan(page, two.slice(0, 12));
  await scan(page, items[3]!);
  await expect(tape(page)).toContainText("not lent");
  expect(await loansOf(two)).toBe("1");
  await tape(page).getByRole("listitem").first().getByRole("button", { name: "Retry" }).click();
  await expect(lent(page)).toHaveCount(1); // what was lent before stands on the card since it was opened again
  expect(await loansOf(two)).toBe("2");
});

test("a bin run begun by scanning at once, and what is no item stays in it as a line", async ({ page }) => {
  const items = await freeItems("SLM", "book", 10);
  await signIn(page, "Jory Tamm");
  await slow(page, 400);
  await fromBin(page);
  for (const item of items) await scan(page, item);
  for (const item of items) await expect(tape(page)).toContainText(item, { timeout: 30_000 });
  await page.unroute("**/api/**");
  const [number, letters, card] = ["31846999999997", "QX-77B1290", await goodCard("SLM")];
  for (const text of [number, letters, card]) await scan(page, text);
  await expect(tape(page)).toContainText("Unknown item");
  await expect(tape(page)).toContainText("No number");
  await expect(tape(page)).toContainText("A card");
  await expect(page).toHaveURL(/\/returns/);
  await expect(tape(page).getByRole("row").filter({ hasText: letters }).getByRole("link")).toHaveText(
    "Find under Items",
  );
  await tape(page).getByRole("row").filter({ hasText: card }).getByRole("link").click();
  await expect(page.getByRole("region", { name: "Patron" })).toContainText("Adult");
  await go(page, "Returns"); // the run is still there
  await expect(tape(page)).toContainText(items[0]!);
  await finishBin(page);
  await expect(page.getByText("Nothing scanned yet")).toBeVisible();
});

test("the line is lost in the middle and comes back: it is said, and every scan counts once", async ({
  page,
  context,
}) => {
  const [card, items] = [await goodCard("SLM"), await freeItems("SLM", "book", 4)];
  await signIn(page, "Jory Tamm");
  await go(page, "Desk");
  await scan(page, card);
  await scan(page, items[0]!);
  await expect(lent(page)).toHaveCount(1);
  await context.setOffline(true);
  await expect(page.getByText("Connection lost. Reconnecting …")).toBeVisible();
  await scan(page, items[1]!);
  await scan(page, items[2]!);
  await expect(tape(page)).toContainText("No answer yet, asking again");
  await expect(tape(page).getByRole("listitem")).toHaveCount(3);
  await context.setOffline(false);
  await expect(lent(page)).toHaveCount(3);
  await expect(page.getByText("Connection lost")).toHaveCount(0);
  // An answer that is lost on its way back: the loan was made, and is not made again.
  let lost = 0;
  await page.route("**/api/desk/scan", async (route) => {
    if (lost++ > 0) return route.continue();
    await route.fetch();
    await route.abort("connectionreset");
  });
  await scan(page, items[3]!);
  await expect(lent(page)).toHaveCount(4);
  expect(lost).toBeGreaterThan(1);
  expect(await loansOf(card)).toBe("4");
});

test("a payment whose answer is lost counts once, and says so honestly meanwhile", async ({ page }) => {
  const card = await ask(
    `SELECT card FROM patrons p WHERE standing = 'active' AND balance BETWEEN 200 AND 900 AND class = 'adult' AND card_until > '2027-01-01' ORDER BY id DESC LIMIT 1`,
  );
  const paid = () =>
    ask(
      "SELECT coalesce(-sum(amount), 0)::text FROM ledger l JOIN patrons p ON p.id = l.patron_id WHERE p.card = $1 AND l.amount = -100",
      card,
    );
  const before = Number(await paid());
  await signIn(page, "Jory Tamm");
  await go(page, "Desk");
  await scan(page, card);
  await page.getByRole("button", { name: "Pay or waive" }).click();
  await page.getByLabel("Amount").fill("none");
  await page.getByRole("form", { name: "Pay or waive" }).getByRole("button", { name: /^Take/ }).click();
  await expect(page.getByRole("alert").filter({ hasText: "Enter an amount such as 12.50." })).toBeVisible();
  await page.getByLabel("Amount").fill("1.00");
  let asked = 0;
  await page.route("**/api/money", async (route) => {
    if (asked++ > 1) return route.continue();
    await route.fetch();
    await route.abort("connectionreset");
  });
  const take = page.getByRole("button", { name: /^Take \$1\.00/ });
  await take.click();
  await expect(page.getByText(/Payment of \$1\.00.*we do not know yet/)).toBeVisible();
  await expect(take).toBeDisabled();
  await expect(page.getByText(/we do not know yet/)).toHaveCount(0);
  expect(Number(await paid())).toBe(before + 100);
  expect(asked).toBe(3);
});

test("leaving and coming back, and a reload with scans under way: session and tape are as they were", async ({
  page,
}) => {
  const [card, items] = [await goodCard("SLM"), await freeItems("SLM", "book", 3)];
  await signIn(page, "Jory Tamm");
  await go(page, "Desk");
  await scan(page, card);
  await scan(page, items[0]!);
  await expect(lent(page)).toHaveCount(1);
  await page.getByRole("link", { name: "Open record" }).click();
  await tab(page, "History");
  await expect(page.getByRole("region", { name: "History" })).toBeVisible();
  await go(page, "Desk");
  await expect(lent(page)).toHaveCount(1);
  await slow(page, 1500);
  await scan(page, items[1]!);
  await scan(page, items[2]!);
  let warned = false;
  page.on("dialog", (d) => {
    warned = d.type() === "beforeunload";
    void d.accept();
  });
  await page.reload();
  expect(warned, "a warning before scans are left").toBe(true);
  await page.unroute("**/api/**");
  await expect(page.getByRole("region", { name: "Patron" })).toContainText("Adult");
  await expect(lent(page)).toHaveCount(3);
  expect(await loansOf(card)).toBe("3");
});

test("a window that is closed with scans under way leaves them to the next one", async ({ page, context }) => {
  const [[card, other], items] = [await goodCards("SLM"), await freeItems("SLM", "book", 3)];
  await signIn(page, "Jory Tamm");
  await go(page, "Desk");
  await scan(page, card);
  await expect(page.getByRole("region", { name: "Patron" })).toContainText("Adult");
  await page.route("**/api/desk/scan", () => {}); // never answered
  for (const item of items.slice(0, 2)) await scan(page, item);
  await expect(tape(page).getByRole("listitem")).toHaveCount(2);
  // What a window keeps is written by another part of the browser, which has it once other windows see it.
  const next = await context.newPage();
  await next.goto("/sign-up");
  const kept = async () => {
    await next.reload(); // a window that was open already may be told late, where the machine is busy
    return next.evaluate(
      () =>
        Object.values(localStorage)
          .join()
          .match(/"state":"(sent|waits)"/g)?.length,
    );
  };
  await expect.poll(kept).toBe(2);
  await page.close({ runBeforeUnload: false });
  await next.goto("/desk");
  await expect(next.getByText("2 scans of a window that was closed are not answered.")).toBeVisible();
  // Somebody else stands at the desk by now: theirs stays what is open, and gets none of it.
  await scan(next, other);
  await expect(next.getByRole("region", { name: "Patron" })).toContainText("Adult");
  const open = await next.getByRole("region", { name: "Patron" }).getByRole("heading").textContent();
  await next.getByRole("button", { name: "Send them" }).click();
  await expect(lent(next)).toHaveCount(2);
  await expect(tape(next).getByText(/^ for /)).toHaveCount(2);
  await scan(next, items[2]!);
  await expect(lent(next)).toHaveCount(3);
  await expect(next.getByRole("region", { name: "Patron" }).getByRole("heading")).toHaveText(open!);
  expect(await loansOf(card)).toBe("2");
  expect(await loansOf(other)).toBe("1");
});

test("the session ends in the middle of a run: the tape stays, one signs in again, and it goes on", async ({
  page,
  context,
}) => {
  const items = await freeItems("SLM", "book", 3);
  await signIn(page, "Jory Tamm");
  await go(page, "Returns");
  await scan(page, items[0]!);
  await expect(tape(page)).toContainText(items[0]!);
  await ask(
    "WITH gone AS (DELETE FROM sessions USING staff f WHERE staff_id = f.id AND f.login = 'jory' RETURNING 1) SELECT count(*) FROM gone",
  );
  const again = page.getByRole("dialog", { name: "Sign in again" });
  await expect(again).toBeVisible({ timeout: 2000 });
  await expect(page.locator("section[aria-label='Scanned items']")).toContainText(items[0]!); // behind the question
  await again.getByRole("button", { name: /Jory Tamm/ }).click();
  await expect(again).toHaveCount(0);
  for (const item of items.slice(1)) await scan(page, item);
  for (const item of items) await expect(tape(page)).toContainText(item);
  // It ends while the line is lost: that is told as soon as the line is back, before anything is scanned.
  // A stream that is open may go on in a browser that is set offline, so the words may stand there for a moment only.
  const told = page.waitForFunction(() => document.body.textContent.includes("Connection lost. Reconnecting …"));
  await context.setOffline(true);
  await told;
  await ask(
    "WITH gone AS (DELETE FROM sessions USING staff f WHERE staff_id = f.id AND f.login = 'jory' RETURNING 1) SELECT count(*) FROM gone",
  );
  await context.setOffline(false);
  await expect(again).toBeVisible({ timeout: 5000 });
  await expect(page.getByText("Connection lost")).toHaveCount(0);
});

test("a server of one's own is killed and started again between scans: it is said, and every scan counts once", ({
  page,
}) =>
  keepingAddresses(async () => {
    const [card, items] = [await goodCard("SLM"), await freeItems("SLM", "book", 6)];
    const port = await freePort();
    let server = await copyAt(port);
    try {
      await page.goto(`http://127.0.0.1:${port}/`);
      await page.getByRole("button", { name: /Jory Tamm/ }).click();
      await go(page, "Desk");
      await scan(page, card);
      for (const item of items.slice(0, 3)) await scan(page, item);
      server.kill("SIGKILL"); // whatever it was doing
      for (const item of items.slice(3)) await scan(page, item);
      await expect(page.getByText("Connection lost. Reconnecting …")).toBeVisible();
      server = await copyAt(port);
      await expect(lent(page)).toHaveCount(6);
      await expect(page.getByText("Connection lost")).toHaveCount(0);
      expect(await loansOf(card)).toBe("6");
    } finally {
      server.kill("SIGKILL");
    }
  }));

test("in Interlibrary a card or an item never goes out as a search; a product code does", async ({ page }) => {
  const [card, item] = [await goodCard("HVH"), await freeItem("HVH", "book")];
  await signIn(page, "Caspar Vane");
  await go(page, "Interlibrary");
  const searched: string[] = [];
  page.on("request", (r) => {
    if (r.url().includes("/api/interlibrary/search")) searched.push(r.url());
  });
  await scan(page, card);
  await expect(page.getByText("It was not sent to any partner. Scan cards at the Desk")).toBeVisible();
  await scan(page, item);
  await expect(page.getByText("No request waits for this item. It was not sent to any partner")).toBeVisible();
  expect(searched).toEqual([]);
  await expect(page).toHaveURL(/\/interlibrary/);
  await scan(page, "9789295055025");
  await expect(page.getByRole("region", { name: "Request from a partner" })).toBeVisible();
  await expect.poll(() => searched.length).toBe(6); // each partner by itself
  expect(searched.every((u) => u.includes("words=9789295055025"))).toBe(true);
});

test("a scan into a date, a choice, a half-typed word or a menu leaves them as they were", async ({ page }) => {
  const [one, two, three] = await freeItems("SLM", "book", 3);
  await signIn(page, "Jory Tamm");
  await go(page, "Returns");
  const otherwise = page.getByRole("button", { name: /^(Change|Backdate)$/ });
  await otherwise.click();
  const day = page.getByLabel("Returned on");
  const before = await ask(
    "SELECT (((shows + (clock_timestamp() - real_at)) AT TIME ZONE 'America/Halifax')::date - 1)::text FROM training_clock",
  );
  await day.fill(before);
  await page.getByRole("button", { name: "Apply to next scans" }).click();
  await expect(page.getByText(/^Counted as returned/)).toBeVisible();
  await otherwise.click();
  await day.focus();
  const shown = await day.inputValue();
  expect(shown).toMatch(/^\w{3} \d+ \w{3}$/);
  await scan(page, one!);
  await expect(tape(page)).toContainText(one!);
  await expect(day).toHaveValue(shown);

  await scanLine(page).focus();
  await page.keyboard.type("salt ch", { delay: 130 });
  await scan(page, two!);
  await expect(tape(page)).toContainText(two!);
  await expect(scanLine(page)).toHaveValue("salt ch");
  await scanLine(page).fill("");

  await go(page, "Calendars");
  const branch = page.getByRole("combobox", { name: "Branch" });
  await branch.focus();
  await scan(page, "31846999999997");
  await expect(page.getByRole("alert")).toContainText("no item here has it");
  await expect(branch).toHaveValue("SLM");
  await expect(page).toHaveURL(/\/calendars/);
  await go(page, "Returns");
  await branchOf(page).click();
  await scan(page, three!);
  await page.keyboard.press("Escape"); // closes the menu, which took nothing of it
  await expect(tape(page)).toContainText(three!);
  await expect(branchOf(page)).toContainText("Saltmere");
});

test("two windows at two branches: each works at its own, and numbers of Today move no station", async ({
  page,
  context,
}) => {
  await signIn(page, "Maren Odell");
  const other = await context.newPage();
  await other.goto("/");
  await workAt(other, "Quarrow");
  await page.reload();
  await expect(branchOf(page)).toContainText("Havenhead");
  await go(other, "Returns");
  const theirs = await freeItem("QRW", "book");
  await scan(other, theirs);
  await expect(tape(other)).toContainText(theirs);
  expect(await ask("SELECT branch_code FROM return_runs ORDER BY id DESC LIMIT 1")).toBe("QRW");
  await page.getByRole("button", { name: /^To fetch at Saltmere/ }).click();
  await expect(page.getByRole("heading", { name: "What to do first at Saltmere" })).toBeVisible();
  await expect(branchOf(page)).toContainText("Havenhead");
});

test("digits of a slowly typed number answer nothing; a digit and Enter answers the oldest ask", async ({ page }) => {
  const [first, second] = [
    await ask(
      "SELECT i.barcode FROM items i WHERE note = '' AND branch_code = 'SLM' AND at_branch = 'SLM' AND standing = 'in_use' AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id) ORDER BY id LIMIT 1",
    ),
    await ask(
      "SELECT i.barcode FROM items i WHERE note = '' AND branch_code = 'SLM' AND at_branch = 'SLM' AND standing = 'in_use' AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id) ORDER BY id LIMIT 1 OFFSET 1",
    ),
  ];
  await ask("UPDATE items SET note = 'Older question' WHERE barcode = $1 RETURNING id", first);
  await ask("UPDATE items SET note = 'Younger question' WHERE barcode = $1 RETURNING id", second);
  await signIn(page, "Jory Tamm");
  await go(page, "Returns");
  await scan(page, first);
  await expect(asks(page)).toHaveCount(1);
  await scan(page, second);
  await expect(asks(page)).toHaveCount(2);
  await scanLine(page).focus();
  for (const digit of "3184") {
    await page.keyboard.press(digit);
    await page.waitForTimeout(450); // as slowly as somebody reads a label
  }
  await expect(asks(page)).toHaveCount(2);
  await scanLine(page).fill("");
  await page.keyboard.press("7");
  await page.keyboard.press("Enter"); // no such answer
  await expect(asks(page)).toHaveCount(2);
  await page.keyboard.press("1");
  await page.keyboard.press("Enter");
  await expect(asks(page)).toHaveCount(1);
  await expect(asks(page)).toContainText("Younger question");
  await page.keyboard.press("3");
  await page.keyboard.press("Enter");
  await expect(asks(page)).toHaveCount(0);
  expect(await ask("SELECT note FROM items WHERE barcode = $1", first)).toBe("Older question"); // it stays
  expect(await ask("SELECT note FROM items WHERE barcode = $1", second)).toBe(""); // it came off
});

test("where a proxy holds back what changes, that is said and work goes on; lists follow all the same", async ({
  page,
}) => {
  await page.route("**/api/live", () => {}); // asked, and never answered
  await signIn(page, "Ada Pellam");
  await go(page, "Desk");
  const late = page.getByText("Changes made at other stations arrive late.");
  await expect(late).toBeVisible();
  await expect(page.getByText("Turn off buffering", { exact: false })).toBeVisible();
  await expect(page.getByText("Connection lost", { exact: false })).toBeHidden();
  const card = await goodCard("HVH");
  await scan(page, card);
  const patron = page.getByRole("region", { name: "Patron", exact: true });
  await expect(patron).toContainText("$0.00");
  const id = await ask("SELECT id FROM patrons WHERE card = $1", card);
  const charged = await page.request.post(`/api/patrons/${id}/charges`, {
    headers: { "Idempotency-Key": "a-charge-not-told", Origin: process.env.NEVRIN_URL ?? "" },
    data: { amount: "1.25", charge: "", note: "A bag" },
  });
  expect(charged.ok(), await charged.text()).toBe(true);
  await expect(patron).toContainText("$1.25");
  await page.unroute("**/api/live");
  await expect(late).toBeHidden();
});
