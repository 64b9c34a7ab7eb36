import { expect } from "@playwright/test";
import { test } from "../house.ts";
import { ask, clockOn, freeItem, fromBin, go, goodCard, readsWell, scan, signIn, tab, workAt } from "../kit.ts";

test.describe.configure({ mode: "serial" });

let card = "";
let book = "";
let film = "";

test("the supervisor lengthens film loans on the islands", async ({ page }) => {
  await signIn(page, "Maren Odell");
  await go(page, "Rulebook");
  await page.getByLabel("Branch", { exact: true }).selectOption({ label: "Wrenna" });
  const cell = page.getByRole("button", { name: /^Adult, Film: / });
  await expect(cell).toHaveAccessibleName("Adult, Film: 7 days");
  await page.getByRole("button", { name: "Start a draft" }).click();
  await expect(page.getByText(/^Draft 9: 0 rules differ/)).toBeVisible();
  await cell.click();
  await page.getByLabel(/^Loan period: days/).fill("14");
  await page.getByLabel("Where").selectOption({ label: "All of islands" });
  await page.getByLabel("Patrons", { exact: true }).selectOption({ label: "All patron classes" });
  await page.getByRole("button", { name: "Save in draft" }).click();
  await expect(cell).toHaveAccessibleName("Adult, Film: 14 days, was 7");
  await page.getByRole("button", { name: "Why 14 days" }).click();
  const why = page.getByRole("dialog");
  await expect(why).toContainText("Film, all of islands");
  await expect(why).toContainText("Films go out for a week");
  await expect(why).toContainText("Outweighed by the lending branch");
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Put in force …" }).click();
  await page.getByLabel("Reason for the change").fill("The ferry comes twice a week");
  await page.getByRole("button", { name: /^Put in force from/ }).click();
  await expect(page.getByText(/^Edition 9 in force since Tue 6 Oct/)).toBeVisible();
});

test("desk staff lend a book and a film, and wrong numbers say what is wrong", async ({ page }) => {
  [card, book, film] = [await goodCard("SLM"), await freeItem("SLM", "book"), await freeItem("SLM", "film")];
  await signIn(page, "Jory Tamm");
  await go(page, "Desk");
  await scan(page, card);
  const patron = page.getByRole("region", { name: "Patron" });
  await expect(patron).toContainText("Adult");
  // Scans follow each other faster than answers come; none is lost.
  await scan(page, book);
  await scan(page, film);
  const tape = page.getByRole("region", { name: "Scanned items" });
  await expect(tape.getByText("Lent", { exact: true })).toHaveCount(2);
  await expect(tape).toContainText("Due Tue 27 Oct");
  await expect(tape).toContainText("Due Thu 15 Oct");
  await tape.getByRole("button", { name: "Why 7 days" }).click();
  await expect(page.getByRole("dialog")).toContainText("Boiler work");
  await page.keyboard.press("Escape");
  for (const [text, says] of [
    ["9789295055025", "publisher’s product code"],
    ["318460000", "has 9 digits"],
    [book.slice(0, 13) + ((Number(book[13]) + 1) % 10), "wrong check digit"],
    ["31846999999997", "no item here has it"],
  ] as const) {
    await scan(page, text);
    await expect(tape.getByRole("listitem").first()).toContainText(says);
  }
  await scan(page, book);
  await expect(tape.getByRole("listitem").first()).toContainText("already");
  // A scan while another field has the focus is caught, not typed there.
  await page.getByRole("link", { name: "Open record" }).click();
  await tab(page, "History");
  await expect(page.getByRole("region", { name: "History" })).toContainText("until Thu 15 Oct");
});

test("a scan that lands in a form field is caught and the field left as it was", async ({ page }) => {
  await signIn(page, "Jory Tamm");
  await go(page, "Patrons");
  const field = page.getByLabel(/^Name, number/);
  await field.fill("ab");
  await field.focus();
  await scan(page, card);
  await expect(page).toHaveURL(/\/desk/);
  await expect(page.getByRole("region", { name: "Patron" })).toContainText("On loan");
});

test("a hold is routed, fetched, sent by ferry, received, told and lent", async ({ page, request }) => {
  const item = await freeItem("SLM", "book");
  const title = await ask("SELECT t.name FROM items i JOIN titles t ON t.id = i.title_id WHERE i.barcode = $1", item);
  const reader = await goodCard("WRN");
  await signIn(page, "Maren Odell");
  await scan(page, item);
  await page.getByRole("button", { name: "Place a hold" }).click();
  await page.getByLabel("For", { exact: true }).fill(reader);
  await page.getByRole("option", { name: new RegExp(reader) }).click();
  await page.getByLabel("Pickup at").selectOption({ label: "Wrenna" });
  await page.getByRole("button", { name: "Place hold" }).click();
  await expect(page.getByRole("status")).toContainText("Being fetched for Wrenna");

  await workAt(page, "Saltmere");
  await go(page, "Fetch list");
  const line = page.getByRole("row").filter({ hasText: item });
  await line.getByRole("button", { name: "Why", exact: true }).click();
  await expect(page.getByRole("dialog")).toContainText("Chosen");
  await page.keyboard.press("Escape");
  await scan(page, item);
  const sign = page.getByLabel("Destination", { exact: true });
  await expect(sign).toHaveAttribute("data-kind", "tote");
  await expect(sign).toContainText("Wrenna");
  await expect(sign).toContainText("13:45");
  await expect(line).toHaveCount(0);

  for (let hour = 0; hour < 7; hour++) await clockOn(page, "One hour ahead");
  await workAt(page, "Wrenna");
  await go(page, "Courier");
  await expect(page.getByRole("row").filter({ hasText: item })).toBeVisible();
  await scan(page, item);
  await expect(sign).toHaveAttribute("data-kind", "hold_shelf");
  // The slip goes to the printer and the place stays: what is printed is the slip and nothing else.
  await page.evaluate(() => {
    window.print = () => Object.assign(window, { onPaper: document.querySelector(".paper")?.textContent });
  });
  await page.getByRole("button", { name: "Print slip" }).first().click();
  const onPaper = () => page.evaluate(() => (window as unknown as { onPaper?: string }).onPaper ?? "");
  await expect.poll(onPaper).toContain(item);
  expect(await onPaper()).toContain("Hold shelf, Wrenna");
  await expect(page.locator(".paper")).toHaveCount(0);
  await expect(page).toHaveURL(/\/courier/);

  const me = (await (await page.request.get("/api/me")).json()) as { mailbox: string };
  await expect
    .poll(async () => (await request.get(me.mailbox)).text(), { timeout: 40_000 })
    .toContain(title.replaceAll("'", "&#39;"));

  // A card is no item: the place stays, and the line leads to the desk.
  await scan(page, reader);
  await page.getByRole("link", { name: "Open patron at the Desk" }).click();
  await expect(page.getByRole("region", { name: "Patron" })).toContainText("1 ready");
  await scan(page, item);
  await expect(page.getByText("From hold shelf")).toBeVisible();
});

test("days pass: overdue notices are worked out, looked at, sent, each once", async ({ page, request }) => {
  await signIn(page, "Maren Odell");
  await clockOn(page, "One week ahead");
  await clockOn(page, "One week ahead");
  await go(page, "Notices");
  const runs = page.getByRole("region", { name: "Runs" });
  await expect
    .poll(
      () =>
        ask(
          "SELECT count(*)::text FROM nights WHERE step = 'sessions' AND ended_at IS NOT NULL AND day > '2026-10-06'",
        ),
      { timeout: 90_000 },
    )
    .toBe("14");
  await page.reload();
  await runs
    .getByRole("button", { name: /^Overdue (Mon|Tue|Wed|Thu|Fri|Sat|Sun).*Trial run/ })
    .first()
    .click();
  const run = page.getByRole("region", { name: "Run", exact: true });
  await run.getByRole("button", { name: "Leave out" }).first().click();
  await run.getByLabel("Reason").fill("In hospital");
  await run
    .getByRole("form", { name: /Leave out/ })
    .getByRole("button", { name: "Leave out" })
    .click();
  await expect(run.getByText("1 left out")).toBeVisible();
  await expect(run.getByRole("cell", { name: /Left out/ })).toContainText("In hospital");
  const count = Number(/(\d+) by email/.exec((await run.textContent()) ?? "")![1]);
  const me = (await (await page.request.get("/api/me")).json()) as { mailbox: string };
  await run.getByRole("button", { name: /^Send \d+ messages/ }).click();
  await expect
    .poll(
      () =>
        ask(
          "SELECT count(*)::text FROM messages WHERE channel = 'mail' AND state IN ('sent', 'overtaken') AND mailing_id IS NOT NULL AND at > '2026-10-08'",
        ),
      { timeout: 60_000 },
    )
    .toBe(String(count));
  expect(
    (
      (await (await request.get(me.mailbox)).text()).match(
        /Please return (an|\d+) |Overdue: please return|À rendre : |Rappel : /g,
      ) ?? []
    ).length,
  ).toBeGreaterThanOrEqual(Math.min(count, 190));
  await expect(run.getByRole("button", { name: /^Send/ })).toHaveCount(0);
});

test("the late film comes back: asked, paid in part, waived, undone from the bin", async ({ page }) => {
  await signIn(page, "Jory Tamm");
  await fromBin(page);
  await expect(page.getByText(/^Counted as returned/)).toBeVisible();
  await scan(page, book);
  const sign = page.getByLabel("Destination", { exact: true });
  await expect(sign).toHaveAttribute("data-kind", "shelf");
  await page.getByRole("button", { name: "Undo" }).first().click();
  await expect(page.getByText("Undone")).toBeVisible();

  await page.getByRole("radio", { name: "With the patron" }).click();
  await expect(page.getByRole("radio", { name: "From a bin" })).not.toBeChecked();
  await scan(page, film);
  const asked = page.getByRole("group", { name: "Question" });
  await expect(asked).toContainText("$3.00 in late fines now");
  await page.getByRole("button", { name: "Why $3.00" }).click();
  const why = page.getByRole("dialog");
  await expect(why).toContainText("3 counted: Fri 16 Oct, Sat 17 Oct, Tue 20 Oct");
  await expect(why).toContainText("closed on Mondays");
  await page.keyboard.press("Escape");
  await asked.getByRole("button", { name: /Pay or waive/ }).click();
  await page.getByLabel("Amount").fill("2.00");
  await page.getByRole("button", { name: "Take $2.00" }).click();
  await expect(asked).toContainText("$1.00 in late fines now");
  await page.getByRole("radio", { name: "Waive", exact: true }).check({ force: true });
  await page.getByRole("button", { name: "Waive $1.00" }).click();
  await expect(page.getByRole("alert")).toContainText("Enter a reason for the waiver");
  await page.getByLabel("Reason").fill("First time");
  await page.getByRole("button", { name: "Waive $1.00" }).click();
  await expect(asked).toHaveCount(0);
  await page.getByRole("button", { name: "Finish batch" }).click();
  await expect(page.getByText("Nothing scanned yet")).toBeVisible();
});

test("a volunteer may take back but not see the notices or waive", async ({ page }) => {
  await signIn(page, "Wil Sorrel");
  await expect(page.getByRole("navigation").getByRole("link", { name: /^Notices/ })).toHaveCount(0);
  const refused = await page.request.get("/api/mailings");
  expect(refused.status()).toBe(403);
  const money = await page.request.post("/api/money", {
    headers: { "Idempotency-Key": "volunteer-1" },
    data: { patron: 1, amount: "1.00", means: "cash" },
  });
  expect(money.status()).toBe(403);
});

test("axe-core finds nothing in any place", async ({ page }) => {
  await page.context().clearCookies();
  await page.goto("/");
  await expect(page.getByRole("heading", { name: "Sign in" })).toBeVisible();
  await readsWell(page, "Sign in");
  await signIn(page, "Ada Pellam");
  for (const tab of [
    "branches",
    "stations",
    "staff",
    "classes",
    "lists",
    "numbers",
    "partners",
    "settings",
    "history",
    "readings",
  ]) {
    await page.goto(`/network?tab=${tab}`);
    await expect(page.locator("[aria-busy]")).toHaveCount(0);
    await readsWell(page, `Network, ${tab}`);
  }
  await page.goto("/own");
  await expect(page.getByRole("heading", { name: "Short code" })).toBeVisible();
  await readsWell(page, "My account");
  await signIn(page, "Maren Odell");
  for (const place of [
    "Today",
    "Desk",
    "Returns",
    "Patrons",
    "Holds",
    "Fetch list",
    "Courier",
    "Interlibrary",
    "Notices",
    "Rulebook",
    "Items",
  ]) {
    await go(page, place);
    await expect(page.locator("[aria-busy]")).toHaveCount(0);
    await readsWell(page, place);
  }
  for (const tab of ["till", "receipts", "back", "disputes", "invoices", "figures"]) {
    await page.goto(`/money?tab=${tab}`);
    await expect(page.locator("[aria-busy]")).toHaveCount(0);
    await readsWell(page, `Money, ${tab}`);
  }
  const patron = await ask("SELECT patron_id::text FROM patron_notes ORDER BY id LIMIT 1");
  for (const [name, address] of [
    ["Registering", "/patrons?form=new"],
    ["A patron", `/patrons?patron=${patron}`],
    ["A record", `/patrons?patron=${patron}&form=change`],
  ] as const) {
    await page.goto(address);
    await expect(page.getByRole("heading", { level: 1 }).first()).toBeVisible();
    await expect(page.locator("[aria-busy]")).toHaveCount(0);
    await readsWell(page, name);
  }
  await go(page, "Desk");
  await scan(page, card);
  await expect(page.getByRole("region", { name: "Patron" })).toBeVisible();
  await readsWell(page, "Desk with a patron");
});
