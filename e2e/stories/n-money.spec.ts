import { expect } from "@playwright/test";
import { test } from "../house.ts";
import { ask, freeItem, fromBin, go, goodCard, scan, signIn, tab, workAt } from "../kit.ts";

/** Something of Havenhead that is late, and costs something, of somebody who owes nothing else. */
const lateThing = (which: number) =>
  ask(
    `SELECT barcode FROM (SELECT DISTINCT ON (l.patron_id) i.barcode, l.patron_id FROM loans l JOIN items i ON i.id = l.item_id
     JOIN patrons p ON p.id = l.patron_id WHERE l.returned_at IS NULL AND l.lost_at IS NULL AND l.branch_code = 'HVH' AND i.branch_code = 'HVH'
     AND i.note = '' AND i.parts = 1 AND l.due_date BETWEEN '2026-09-01' AND '2026-09-30' AND p.balance = 0 AND p.class = 'adult'
     AND NOT EXISTS (SELECT 1 FROM claims c WHERE c.loan_id = l.id) ORDER BY l.patron_id, l.id) x ORDER BY patron_id OFFSET $1 LIMIT 1`,
    which,
  );

test("one pays for two in coins, a payment taken by mistake is reversed, and the till is counted with a sentence", async ({
  page,
}) => {
  await signIn(page, "Bea Lindgard");
  await go(page, "Money");
  await page.getByRole("button", { name: "Open a till" }).click();
  await page.getByLabel("Till name").fill("Front desk");
  await page.getByLabel("Opening float").fill("50.00");
  await page.getByRole("button", { name: "Open till" }).dblclick();
  await expect(page.getByText("Used at this station")).toBeVisible();
  expect(await ask("SELECT count(*) FROM tills WHERE closed_at IS NULL")).toBe("1");

  await go(page, "Returns");
  await page.getByRole("radio", { name: "With the patron" }).click();
  const things = [await lateThing(0), await lateThing(1)];
  for (const t of things) await scan(page, t);
  await page.getByRole("button", { name: "One pays for all 2" }).click();
  const settle = page.getByRole("region", { name: "Settle" });
  const owed = Number(await settle.getByLabel("Amount").inputValue());
  expect(owed).toBeGreaterThan(0);
  await settle.getByLabel("Cash received").fill("100.00");
  await settle.getByRole("button", { name: /^Take / }).dblclick();
  await expect(settle.getByText("Give change:", { exact: false })).toContainText((100 - owed).toFixed(2));
  await expect(settle.getByText("Nothing is owed.")).toBeVisible();
  expect(await ask("SELECT count(*) FROM receipts WHERE till_id IS NOT NULL")).toBe("1");
  await expect(
    page
      .getByText("Everything is returned.")
      .or(page.getByText(/^Still has/))
      .first(),
  ).toBeVisible();
  await page.getByRole("button", { name: "Finish batch" }).click();

  await go(page, "Money");
  await tab(page, "Receipts");
  await page.getByRole("table", { name: "Receipts" }).getByRole("link").first().click();
  const receipt = page.getByRole("region", { name: "Receipt", exact: true });
  await expect(receipt.getByRole("heading", { name: /^Received / })).toBeVisible();
  await receipt.getByRole("button", { name: "Made by mistake" }).click();
  await receipt.getByLabel("Reason").fill("Wanted to pay by card");
  await receipt.getByRole("button", { name: "Reverse payment" }).dblclick();
  await expect(receipt.getByText(/^Reversed/)).toBeVisible();
  await expect(page.getByText("Reverses another")).toHaveCount(1);

  await tab(page, "Till");
  await page.getByRole("button", { name: "Add or remove cash" }).click();
  await page.getByLabel("Cash", { exact: true }).fill("30.00");
  await page.getByLabel("Reason").fill("To the bank");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByText("To the bank", { exact: false })).toBeVisible();
  await page.getByRole("button", { name: "Count and close" }).click();
  await page.getByLabel("Cash, counted").fill("19.50");
  await page.getByRole("button", { name: "Close till" }).click();
  await expect(page.getByRole("alert")).toContainText("0.50 too little in cash: explain the difference");
  await page.getByLabel("Explain any difference").fill("A coin rolled under the desk");
  await page.getByRole("button", { name: "Close till" }).click();
  await expect(page.getByRole("table", { name: "Counted tills" })).toContainText("A coin rolled under the desk");
});

test("a station asks once a day for its till; what stood under none is assigned, counted by coins and notes, and taken out again", async ({
  page,
}) => {
  const asksDaily = (is: boolean) =>
    ask(
      `UPDATE network SET version = version + 1, settings = jsonb_set(settings, '{money}', coalesce(settings -> 'money', '{}') || $1::jsonb) RETURNING 1`,
      `{"ask_daily": ${is}}`,
    );
  await asksDaily(true);
  await signIn(page, "Bea Lindgard");
  const who = await ask(
    "SELECT card FROM patrons WHERE branch_code = 'HVH' AND class = 'adult' AND balance > 500 AND merged_into IS NULL AND forgotten_at IS NULL ORDER BY id LIMIT 1",
  );
  await go(page, "Desk");
  await scan(page, who);
  await page.getByRole("button", { name: "Pay or waive" }).click();
  const till = page.getByRole("region", { name: "Till of this station" });
  await expect(till).toContainText("Choose today’s till for this station");
  const pay = page.getByRole("form", { name: "Pay or waive" });
  await expect(pay.getByRole("button", { name: /^Take / })).toHaveCount(0);
  await pay.getByRole("radio", { name: "Transfer", exact: true }).check({ force: true }); // which goes through no till
  await expect(till).toBeHidden();
  await pay.getByRole("radio", { name: "Cash", exact: true }).check({ force: true });
  await till.getByRole("button", { name: "No till today; assign the money later" }).click();
  await pay.getByLabel("Amount").fill("3.00");
  await pay.getByRole("button", { name: /^Take / }).dblclick();
  await expect(page.getByText("Received $3.00.")).toBeVisible();
  await expect(till).toBeHidden(); // said once, it is not asked again today

  await go(page, "Money");
  await page.getByRole("button", { name: "Open a till" }).click();
  await page.getByLabel("Till name").fill("Evening");
  await page.getByRole("button", { name: "Count coins and notes" }).click();
  await page.getByLabel("$20.00").fill("2");
  await page.getByLabel("$0.25").fill("3");
  await expect(page.getByLabel("Opening float")).toHaveValue("40.75");
  await page.getByRole("button", { name: "Open till" }).click();
  const drawer = page.getByRole("region", { name: "Till Evening" });
  await expect(drawer.getByText("Cash expected").locator("xpath=following-sibling::dd[1]")).toHaveText("$40.75");
  const none = page.getByRole("region", { name: "Not in a till" });
  const row = none.getByRole("row").filter({ hasText: "$3.00" }).filter({ hasText: "Tue 6 Oct" }); // of now
  await row.first().getByRole("checkbox").check();
  await none.getByRole("button", { name: "Assign $3.00 to Evening" }).dblclick();
  await expect(none.getByRole("status")).toContainText("$3.00 assigned to Evening.");
  await expect(drawer).toContainText("$43.75");
  await none.getByRole("button", { name: "Undo" }).click();
  await expect(drawer).not.toContainText("$43.75");
  await row.first().getByRole("checkbox").check();
  await none.getByRole("button", { name: "Assign $3.00 to Evening" }).click();
  await expect(drawer).toContainText("$43.75");
  await drawer.getByRole("button", { name: "Count and close" }).click();
  await drawer.getByRole("button", { name: "Count coins and notes" }).click();
  await drawer.getByLabel("$20.00").fill("2");
  await drawer.getByLabel("$1.00").fill("3");
  await drawer.getByLabel("$0.25").fill("3");
  await drawer.getByRole("button", { name: "Close till" }).click();
  await expect(
    page.getByRole("table", { name: "Counted tills" }).getByRole("row").filter({ hasText: "Evening" }),
  ).toContainText("none");
  await asksDaily(false);
});

test("an institution is invoiced, the invoice prints, and is paid by transfer", async ({ page }) => {
  await signIn(page, "Bea Lindgard");
  const school = await ask("SELECT id FROM patrons WHERE legal_name = 'Quay Street School'");
  await page.goto(`/patrons?patron=${school}`);
  await tab(page, "Account");
  await page.getByRole("button", { name: "New invoice" }).click();
  await page.getByLabel("Their reference, such as an order number").fill("Order 12");
  await page.getByRole("button", { name: "Create invoice" }).dblclick();
  const invoice = page.getByRole("region", { name: "Invoice", exact: true });
  await expect(invoice.getByText("Invoice 2026-0001")).toBeVisible();
  const link = invoice.getByRole("link", { name: "Open as PDF" });
  const file = await page.request.get((await link.getAttribute("href")) ?? "");
  expect((await file.body()).subarray(0, 5).toString()).toBe("%PDF-");
  const lines = (await ask("SELECT addressed FROM invoices WHERE patron_id = $1", school)).split("\n");
  expect(lines.length).toBeGreaterThan(1);
  await expect(invoice.getByText(lines.join(" "))).toBeVisible(); // each on a line of its own, not with "\n" between
  await invoice.getByRole("button", { name: "Mark as paid" }).click();
  await invoice.getByRole("radio", { name: "Transfer" }).check({ force: true });
  await invoice.getByLabel("Reference").fill("Bank 77");
  await invoice.getByRole("button", { name: /^Take / }).click();
  await expect(invoice.getByText("Paid", { exact: true })).toBeVisible();
});

test("loans are reviewed before they are made where that is set, at a station or for a patron; Esc never lends", async ({
  page,
}) => {
  await ask(`UPDATE network SET version = version + 1, settings = jsonb_set(settings, '{counter}', '{"staged": true, "receipt": "none", "collect": "named",
    "slips": [], "bin": {"lines": 20, "columns": ["found", "account"]}, "patron": {"lines": 20, "columns": ["found"]}}') RETURNING 1`);
  try {
    await signIn(page, "Bea Lindgard");
    await go(page, "Desk");
    const card = await goodCard("HVH");
    await scan(page, card);
    const items = [await freeItem("HVH", "book"), await freeItem("HVH", "book"), await freeItem("HVH", "book")];
    for (const i of items) await scan(page, i);
    await expect(page.getByText("3 items to review")).toBeVisible();
    const loans = `SELECT count(*) FROM loans l JOIN patrons p ON p.id = l.patron_id WHERE p.card = '${card}' AND l.returned_at IS NULL`;
    expect(await ask(loans)).toBe("0");
    const line = page.getByLabel("Scan field");
    await line.fill("half a na");
    await page.keyboard.press("Escape"); // clears what was typed,
    await expect(line).toHaveValue("");
    await page.keyboard.press("Escape"); // and with nothing to clear or close does nothing
    await expect(page.getByText("3 items to review")).toBeVisible();
    await expect(page.getByRole("region", { name: "Patron" })).toBeVisible();
    await page.getByRole("region", { name: "Scanned items" }).getByRole("button", { name: "Remove" }).first().click();
    await page.getByRole("button", { name: "Lend 2 items", exact: true }).dblclick();
    await expect(page.getByText("Lent", { exact: true })).toHaveCount(2);
    expect(await ask(loans)).toBe("2");
    await scan(page, items[2] ?? "");
    await expect(page.getByText("1 item to review")).toBeVisible();
    await expect(page.getByRole("button", { name: "Lend 1 item, done" })).toBeVisible();
    await page.keyboard.press("Control+Enter");
    await expect(page.getByText("Scan a card to begin", { exact: false })).toBeVisible();
    expect(await ask(loans)).toBe("3"); // what was left to review is lent before the patron goes

    // Typed words find people below the line; the arrow goes into the list, Enter opens, Esc closes.
    const name = await ask("SELECT legal_name FROM patrons WHERE card = $1", card);
    const [given = "", family = ""] = [name.split(" ")[0], name.split(" ").at(-1)];
    await line.fill(`${family}, ${given}`);
    await page.keyboard.press("Enter");
    const found = page.getByRole("region", { name: "Patrons found" });
    await expect(found).toBeVisible();
    await page.keyboard.press("Escape");
    await expect(found).toBeHidden();
    await expect(line).toBeFocused();
    await line.fill(`${family}, ${given}`);
    await page.keyboard.press("Enter");
    await expect(found).toBeVisible();
    await page.keyboard.press("ArrowDown");
    await expect(found.getByRole("button", { name: new RegExp(name) }).first()).toBeFocused();
    await page.keyboard.press("Enter");
    await expect(page.getByRole("region", { name: "Patron", exact: true })).toContainText(name);
    await page.keyboard.press("Control+Enter");

    // Chosen otherwise for one patron, and for the station from then on.
    const review = page.getByLabel("Review before lending");
    await scan(page, card);
    await review.uncheck();
    await scan(page, await freeItem("HVH", "book"));
    await expect(page.getByText("Lent", { exact: true })).toHaveCount(1);
    await page.keyboard.press("Control+Enter");
    await scan(page, await goodCard("HVH"));
    await expect(review).toBeChecked();
    await page.getByRole("button", { name: /^Bea Lindgard/ }).click();
    await page.getByRole("menuitemcheckbox", { name: /^Review loans/ }).click();
    await page.keyboard.press("Escape");
    await expect(review).not.toBeChecked();
  } finally {
    await ask("UPDATE network SET version = version + 1, settings = settings - 'counter' RETURNING 1");
  }
});

test("what was lent is mailed to who wants it, with all of the session on it", async ({ page }) => {
  await signIn(page, "Bea Lindgard");
  await go(page, "Desk");
  const card = await goodCard("HVH");
  await scan(page, card);
  for (const i of [await freeItem("HVH", "book"), await freeItem("HVH", "film")]) await scan(page, i);
  await expect(page.getByText("Lent", { exact: true })).toHaveCount(2);
  await page.getByRole("button", { name: "Email", exact: true }).click();
  await expect(page.getByText("Scan a card to begin", { exact: false })).toBeVisible();
  await expect
    .poll(() =>
      ask(
        `SELECT coalesce(max(m.items), 0)::text FROM messages m JOIN patrons p ON p.id = m.patron_id
         WHERE m.kind = 'receipt' AND p.card = $1`,
        card,
      ),
    )
    .toBe("2");
});

test("an email that does not go out stands at the desk when the patron has gone, until it is sent", async ({
  page,
}) => {
  await signIn(page, "Bea Lindgard");
  await go(page, "Desk");
  const card = await goodCard("HVH");
  const name = await ask("SELECT legal_name FROM patrons WHERE card = $1", card);
  let refuses = true;
  await page.route("**/lent-mail", (route) =>
    refuses
      ? route.fulfill({
          status: 409,
          contentType: "application/problem+json",
          body: JSON.stringify({ status: 409, detail: "No email goes out at this moment." }),
        })
      : route.continue(),
  );
  await scan(page, card);
  await scan(page, await freeItem("HVH", "book"));
  await expect(page.getByText("Lent", { exact: true })).toHaveCount(1);
  await page.getByRole("button", { name: "Email", exact: true }).click();
  const left = page.getByRole("region", { name: "Not sent" });
  await expect(left).toContainText(name);
  await expect(left).toContainText("No email goes out at this moment.");
  await scan(page, await goodCard("HVH")); // the next in line hides nothing
  await expect(page.getByRole("region", { name: "Patron", exact: true })).toBeVisible();
  await expect(left).toContainText("Email not sent");
  refuses = false;
  await left.getByRole("button", { name: "Retry" }).dblclick();
  await expect(left).toBeHidden();
  const sent = () =>
    ask(
      "SELECT count(*) FROM messages m JOIN patrons p ON p.id = m.patron_id WHERE m.kind = 'receipt' AND p.card = $1",
      card,
    );
  await expect.poll(sent).toBe("1");
});

test("how it is paid and why it is waived stay as they were chosen while charges are ticked and others come", async ({
  page,
}) => {
  const owes = await ask(
    `SELECT p.card FROM patrons p WHERE p.branch_code = 'HVH' AND p.merged_into IS NULL AND p.forgotten_at IS NULL AND p.class = 'adult'
     AND (SELECT count(*) FROM ledger c WHERE c.patron_id = p.id AND c.kind = 'charge'
          AND c.amount + (SELECT coalesce(sum(o.amount), 0) FROM ledger o WHERE o.settles = c.id) > 0) > 1
     AND NOT EXISTS (SELECT 1 FROM invoices v WHERE v.patron_id = p.id) ORDER BY p.id LIMIT 1`,
  );
  await signIn(page, "Bea Lindgard");
  await go(page, "Desk");
  await scan(page, owes);
  await page.getByRole("button", { name: "Pay or waive" }).click();
  const pay = page.getByRole("form", { name: "Pay or waive" });
  const charges = page.getByRole("group", { name: "Charges to settle" }).getByRole("checkbox");
  await pay.getByRole("radio", { name: "Waive", exact: true }).check({ force: true });
  await pay.getByLabel("Reason").fill("Snow day, the bus did not run");
  await charges.first().click();
  await expect(pay.getByRole("radio", { name: "Waive", exact: true })).toBeChecked();
  await expect(pay.getByLabel("Reason")).toHaveValue("Snow day, the bus did not run");
  await pay.getByRole("radio", { name: "Card", exact: true }).check({ force: true });
  await pay.getByLabel("Reference").fill("Slip 4471");
  const before = await charges.count();
  const id = await ask("SELECT id FROM patrons WHERE card = $1", owes);
  const charged = await page.request.post(`/api/patrons/${id}/charges`, {
    headers: { "Idempotency-Key": "a-charge-from-elsewhere", Origin: process.env.NEVRIN_URL ?? "" },
    data: { amount: "1.00", charge: "", note: "A bag" },
  });
  expect(charged.ok(), await charged.text()).toBe(true);
  await expect(charges).toHaveCount(before + 1);
  await expect(pay.getByRole("radio", { name: "Card", exact: true })).toBeChecked();
  await expect(pay.getByLabel("Reference")).toHaveValue("Slip 4471");
});

test("two stations empty one bin together, and a label that cannot be read is found by its title", async ({
  page,
  browser,
}) => {
  const other = await (await browser.newContext()).newPage();
  await signIn(page, "Bea Lindgard");
  await signIn(other, "Maren Odell");
  await workAt(other, "Havenhead");
  for (const p of [page, other]) {
    await fromBin(p);
    await p.getByRole("radio", { name: /Quay kerb/ }).click();
  }
  await expect(other.getByText("Nothing scanned yet", { exact: false })).toBeVisible();
  const [barcode, title] = (
    await ask(
      `SELECT i.barcode || '|' || t.name FROM loans l JOIN items i ON i.id = l.item_id JOIN titles t ON t.id = i.title_id
       WHERE l.returned_at IS NULL AND l.lost_at IS NULL AND l.branch_code = 'HVH' AND i.branch_code = 'HVH' AND i.note = '' AND l.due_date > '2026-10-20'
       ORDER BY i.id LIMIT 1`,
    )
  ).split("|");
  await scan(page, title ?? "");
  await page
    .getByRole("region", { name: "Copies on loan" })
    .locator("li", { hasText: barcode })
    .getByRole("button")
    .click();
  await expect(page.getByRole("table", { name: "Scanned items" })).toContainText(barcode ?? "");
  await expect(other.getByRole("table", { name: "Scanned items" })).toContainText(barcode ?? "");
  await other.getByLabel("Shelve here").click();
  await expect(page.getByLabel("Shelve here")).toBeChecked();
  await scan(other, await freeItem("HVH", "book"));
  await expect(page.getByLabel("Shelve here")).not.toBeChecked();
  await page.getByRole("button", { name: "Finish batch" }).click();
  await expect(page.getByText(/Final check: Shelve here 2/)).toBeVisible();
  await page.getByRole("button", { name: "Finish anyway" }).click();
  await expect(page.getByRole("radio", { name: /Quay kerb.*Bea Lindgard, 2 items/ })).toBeVisible();
});

test("a waiver is undone where it was made and on the account, and one pays for the household at the desk", async ({
  page,
}) => {
  const [mother = "", son = ""] = (
    await ask(`SELECT (array_agg(card ORDER BY id))[1] || '|' || (array_agg(card ORDER BY id))[2] FROM patrons
      WHERE household_id IS NOT NULL AND merged_into IS NULL
      GROUP BY household_id HAVING count(*) >= 2 AND bool_and(branch_code = 'HVH' AND standing = 'active' AND balance = 0)
      ORDER BY min(id) LIMIT 1`)
  ).split("|");
  const charge = (card: string, sum: number) =>
    ask(
      `INSERT INTO ledger (patron_id, kind, amount, about, reason, at, branch_code)
       SELECT id, 'charge', ${sum}, 'manual', 'Torn map', (SELECT max(at) FROM events), 'HVH' FROM patrons WHERE card = $1 RETURNING id`,
      card,
    );
  await charge(mother, 200);
  await charge(son, 300);
  await signIn(page, "Maren Odell");
  await go(page, "Desk");
  await scan(page, mother);
  const card = page.getByRole("region", { name: "Patron", exact: true });
  await card.getByRole("button", { name: "Pay or waive" }).click();
  const payment = page.getByRole("region", { name: "Payment" });
  const form = payment.getByRole("form", { name: "Pay or waive" });
  await form.getByRole("radio", { name: "Waive", exact: true }).check({ force: true });
  await form.getByLabel("Reason").fill("First time");
  await form.getByRole("button", { name: /^Waive/ }).click();
  await expect(payment.getByText("Waived $2.00.")).toBeVisible();
  await payment.getByRole("status").getByRole("button", { name: "Undo" }).click();
  await payment.getByRole("textbox", { name: "Reason" }).fill("It was hers");
  await payment.getByRole("button", { name: "Charge $2.00 again" }).click();
  await expect(card.getByText("$2.00").first()).toBeVisible();

  await card.getByRole("button", { name: "Pay for the household" }).click();
  await expect(payment.getByRole("button", { name: "Take $5.00" })).toBeVisible();
  await payment.getByRole("button", { name: "Take $5.00" }).dblclick();
  await expect(payment.getByText("Received $5.00.")).toBeVisible();
  expect(await ask("SELECT sum(balance) FROM patrons WHERE card IN ($1, $2)", mother, son)).toBe("0");

  await card.getByRole("link", { name: "Open record" }).click();
  await tab(page, "Account");
  const account = page.getByRole("region", { name: "Account", exact: true });
  await expect(account.getByRole("row").nth(1)).toContainText("Payment by cash");
  await expect(account.getByRole("row").filter({ hasText: "Waiver. " })).toContainText("Undone");
  await expect(account.getByRole("row").filter({ hasText: "Waiver undone" })).toContainText("It was hers");
});

test("a volunteer takes no money", async ({ page }) => {
  await signIn(page, "Wil");
  await expect(page.getByRole("link", { name: /^Money/ })).toHaveCount(0);
  for (const [path, body] of [
    ["/api/money", { patrons: [1], amount: "1.00", means: "cash" }],
    ["/api/tills", { name: "x", laid_in: "1.00" }],
    ["/api/refunds", { patron: 1, means: "cash" }],
    ["/api/receipts/1/reverse", { reason: "x" }],
  ] as const) {
    const answer = await page.request.post(path, { data: body, headers: { "Idempotency-Key": `volunteer ${path}` } });
    expect(answer.status(), path).toBe(403);
  }
});
