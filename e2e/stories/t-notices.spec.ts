import { expect } from "@playwright/test";
import { test } from "../house.ts";
import { ask, freeItem, go, scan, signIn } from "../kit.ts";

test("this morning's runs: one out of its usual range is looked at, the usual ones are sent together, each person once", async ({
  page,
}) => {
  await signIn(page, "Maren Odell");
  await go(page, "Notices");
  const run = page.getByRole("region", { name: "Run", exact: true });
  await expect(run.getByText("More than three times as many as usual")).toBeVisible();
  await run.getByRole("combobox").first().selectOption("letter");
  await run.getByRole("row").nth(1).getByRole("button").first().click();
  await expect(run.getByText(/has been marked lost/)).toBeVisible();
  await run.getByRole("button", { name: "Close" }).click();
  // All notices about one title stay out, with a reason.
  const title =
    await ask(`SELECT t.name FROM notices n JOIN loans l ON l.id = n.loan_id JOIN items i ON i.id = l.item_id
    JOIN titles t ON t.id = i.title_id WHERE n.plan = 'lost' AND n.state = 'trial' ORDER BY n.id LIMIT 1`);
  await run.getByRole("button", { name: /^More/ }).click();
  await page.getByRole("menuitem", { name: "Leave out a title" }).click();
  const leaving = run.getByRole("form", { name: "Leave out a title" });
  await leaving.getByLabel("Title").fill(title);
  await leaving.getByRole("option", { name: title }).first().click();
  await leaving.getByLabel("Reason").fill("Price is wrong");
  await leaving.getByRole("button", { name: "Leave out" }).click();
  await expect(leaving).toHaveCount(0);
  await expect(run.getByText(/\d+ left out/)).toBeVisible();
  expect(
    Number(await ask("SELECT count(*) FROM notices WHERE state = 'left_out' AND reason = 'Price is wrong'")),
  ).toBeGreaterThan(0);
  const twice = `SELECT count(*)::text FROM (SELECT 1 FROM messages m JOIN mailings g ON g.id = m.mailing_id AND g.day = '2026-10-06'
    GROUP BY m.patron_id, m.channel HAVING count(*) > 1) x`;
  const usual = page.getByRole("button", { name: /^Send the \d+ usual runs/ });
  await usual.dblclick();
  await expect(usual).toHaveCount(0);
  const people = `SELECT count(DISTINCT (recipient_id, channel))::text FROM notices n JOIN mailings g ON g.id = n.mailing_id
    WHERE g.day = '2026-10-06' AND g.state IN ('sending', 'sent')`;
  await expect
    .poll(
      () =>
        ask(`SELECT count(*)::text FROM messages m JOIN mailings g ON g.id = m.mailing_id WHERE g.day = '2026-10-06'
          AND m.state IN ('sent', 'no_address', 'by_hand', 'overtaken')`),
      { timeout: 60_000 },
    )
    .toBe(await ask(people));
  expect(await ask(twice)).toBe("0");
  // What was not as usual still waits.
  await page.reload();
  await expect(page.getByRole("button", { name: /Lost, with its bill.*Trial run/ })).toBeVisible();
});

test("a plan is added for one class and removed; a wrong one is told of at its field", async ({ page }) => {
  await signIn(page, "Maren Odell");
  await page.goto("/notices?tab=plans");
  const card = page.getByRole("region", { name: "Plans" });
  await card
    .getByRole("listitem")
    .filter({ has: page.getByRole("heading", { name: "Overdue" }) })
    .getByRole("button", { name: "Add a plan" })
    .click();
  const form = page.getByRole("form", { name: "Add a plan" });
  await form.getByLabel("Name").fill("Overdue, seniors");
  await form.getByLabel("Stage 1: days after").fill("20");
  await form.getByRole("button", { name: "Add a stage" }).click();
  await form.getByLabel("Stage 2: days after").fill("10");
  await form
    .getByRole("group", { name: /Patron classes/ })
    .getByRole("button", { name: "Senior" })
    .click();
  await form
    .getByRole("group", { name: /Patron classes/ })
    .getByRole("button", { name: "Staff" })
    .click();
  await form.getByRole("button", { name: "Add", exact: true }).click();
  await expect(form.getByRole("alert")).toContainText("10 days after 20");
  await form.getByLabel("Stage 2: days after").fill("30");
  await form.getByRole("button", { name: "Add", exact: true }).click();
  await expect(card.getByText("20, 30 days after; Senior")).toBeVisible();
  await card.getByRole("button", { name: "Overdue, seniors" }).click();
  await page
    .getByRole("form", { name: "Edit Overdue, seniors" })
    .getByRole("button", { name: "Remove", exact: true })
    .last()
    .click();
  await expect(card.getByText("Overdue, seniors")).toHaveCount(0);
  expect(await ask("SELECT count(*)::text FROM changes WHERE part = 'plan' AND key = 'overdue_seniors'")).toBe("2");
});

test("a wording is changed with a real case beside; a mistake is told by its line", async ({ page }) => {
  await signIn(page, "Maren Odell");
  await page.goto("/notices?tab=wordings");
  await page.getByRole("button", { name: "Due today", exact: true }).click();
  const form = page.getByRole("form", { name: "Edit Due today" });
  const says = form.getByRole("region", { name: "What it says" });
  await expect(says.getByText(/would get it/)).toBeVisible();
  await form.getByRole("textbox", { name: "Text", exact: true }).fill("Dear {{ name }},\n{{ titel }} is due today.");
  await expect(says.getByRole("alert")).toContainText('line 2: there is no field "titel"');
  await form.getByRole("button", { name: "Save" }).click();
  await expect(form.getByRole("alert").last()).toContainText("line 2");
  // A scan in the middle opens the item; what was typed is there again afterwards.
  await scan(page, await freeItem("HVH", "book"));
  await expect(page.getByText("Loan terms here, for")).toBeVisible();
  await page.goBack();
  await expect(page.getByText("not saved")).toBeVisible();
  await page.getByRole("button", { name: "Due today", exact: true }).click();
  await expect(form.getByRole("textbox", { name: "Text", exact: true })).toHaveValue(
    "Dear {{ name }},\n{{ titel }} is due today.",
  );
  await form.getByRole("textbox", { name: "Text", exact: true }).fill("{{ title }} is due today.");
  await expect(says.getByText(/is due today\.$/)).toBeVisible();
  await form.getByRole("button", { name: "Save" }).click();
  await expect(form).toHaveCount(0);
  expect(await ask("SELECT doc #>> '{texts,en,body}' FROM wordings WHERE code = 'due_today'")).toBe(
    "{{ title }} is due today.",
  );
  // In another language, as a text message, with its count; and sent to oneself.
  await page.getByRole("button", { name: "Due today", exact: true }).click();
  await form.getByRole("combobox", { name: "Language" }).selectOption("fr");
  await form.getByRole("combobox", { name: "For" }).selectOption("text");
  await form.getByRole("textbox", { name: "Text message" }).fill("{{ list }} : à rendre aujourd'hui");
  await expect(says.getByText(/à rendre aujourd'hui$/)).toBeVisible();
  await expect(says.getByText(/^\d+ characters of 160$/)).toBeVisible();
  await form.getByRole("textbox", { name: "Text message" }).fill("x".repeat(170));
  await expect(says.getByText(/sent as 2 messages$/)).toBeVisible();
  const me = (await (await page.request.get("/api/me")).json()) as { mailbox: string };
  await form.getByLabel("Send a test email to").fill("maren@post.invalid");
  await form.getByRole("button", { name: "Send", exact: true }).click();
  await expect(form.getByText("Sent", { exact: true })).toBeVisible();
  expect(await (await page.request.get(me.mailbox)).text()).toContain("Bonjour Ada Quill");
});

test("an email comes back: the record says so, and the next channel is taken", async ({ page }) => {
  await signIn(page, "Maren Odell");
  const me = (await (await page.request.get("/api/me")).json()) as { mailbox: string };
  // Somebody gets an email with what waits for them, which comes back.
  const sent = `SELECT m.id || ' ' || m.patron_id FROM messages m JOIN patrons p ON p.id = m.patron_id
    WHERE m.channel = 'mail' AND m.state = 'sent' AND m.mailing_id IS NOT NULL AND p.address <> '' AND NOT p.email_returned ORDER BY m.sent_at DESC, m.id DESC LIMIT 1`;
  await expect.poll(() => ask(sent).catch(() => ""), { timeout: 30_000 }).not.toBe("");
  const [message, patron] = (await ask(sent)).split(" ");
  const files = [...(await (await page.request.get(me.mailbox)).text()).matchAll(/name="name" value="([^"]+)"/g)].map(
    (m) => m[1]!,
  );
  const file = files.find((f) => f.includes(`message-${message}_`) || f.includes(`message-${message}-`));
  expect(file).toBeTruthy();
  expect((await page.request.post(me.mailbox, { form: { name: file! } })).ok()).toBe(true);
  expect(await ask(`SELECT channel || ' ' || state FROM messages WHERE id = ${message}`)).not.toBe("mail sent");
  await page.goto(`/patrons?patron=${patron}`);
  await page.getByRole("button", { name: "Notices and consents" }).click();
  await expect(page.getByText(/^Email to .* came back\. Ask for the correct address\.$/)).toBeVisible();
});
