import { expect, type Page } from "@playwright/test";
import { test } from "../house.ts";
import Holidays from "date-holidays";
import { readFile } from "node:fs/promises";
import { ask, freeItem, go, goodCard, readsWell, scan, signIn } from "../kit.ts";

test.describe.configure({ mode: "serial" });

async function tab(page: Page, name: string) {
  await page.getByRole("navigation", { name: "Views of this edition" }).getByRole("button", { name }).click();
}

async function bring(page: Page, text: string) {
  const file = { name: "rules.json", mimeType: "application/json", buffer: Buffer.from(text) };
  await page.getByLabel("A rulebook file").setInputFiles(file);
}

test("a change is written in the grid, tried on last year, and put in force with a reason", async ({ page }) => {
  await signIn(page, "Maren Odell");
  await go(page, "Rulebook");
  await page.getByRole("button", { name: "Start a draft" }).click();
  await expect(page.getByText(/^Draft \d+: 0 rules differ/)).toBeVisible();
  // Two classes by two materials, chosen by keyboard, become one rule.
  await page.getByLabel("Branch", { exact: true }).selectOption({ label: "Thistle Bay" });
  await page.getByRole("button", { name: /^Adult, Film: 7 days/ }).click();
  await page.keyboard.press("Shift+ArrowDown");
  await page.keyboard.press("Shift+ArrowRight");
  await expect(page.getByText("4 cells")).toBeVisible();
  await page.getByLabel(/^Loan period: days/).fill("10");
  await page.getByRole("button", { name: "Save all" }).click();
  await expect(page.getByRole("region", { name: "Change saved" })).toContainText("as 1 rule");
  await expect(
    page
      .getByRole("button", { name: "Youth, Game: 10 days, was 7 days" })
      .or(page.getByRole("button", { name: /^Youth, Game: 10 days, was 7/ })),
  ).toBeVisible();

  await tab(page, "Compare");
  await expect(page.getByRole("region", { name: "Terms that differ" })).toContainText("Thistle Bay");
  await tab(page, "Examples");
  await page.getByRole("button", { name: "Add example" }).click();
  const form = page.getByRole("form", { name: "Example" });
  await form.getByLabel("Name").fill("A film at Thistle Bay");
  await form.getByLabel("Lending branch").selectOption({ label: "Thistle Bay" });
  await form.getByLabel("Material class").selectOption({ label: "Film" });
  await form.getByLabel("Patron class").selectOption({ label: "Adult" });
  await form.getByLabel("Lent", { exact: true }).fill("2026-10-06");
  await form.getByLabel("Lent, time").fill("11:00");
  await form.getByLabel("Expected due date", { exact: true }).fill("2026-10-13");
  await form.getByRole("button", { name: "Save example in draft" }).click();
  const row = page.getByRole("row", { name: /A film at Thistle Bay/ });
  await expect(row).toContainText("Not as expected");
  await expect(row).toContainText("lent Tue 6 Oct, 11:00"); // as it was typed, by the branch's clock
  await row.getByRole("button", { name: "Why" }).click();
  await expect(page.getByRole("dialog")).toContainText("10 days");
  await page.keyboard.press("Escape");

  await tab(page, "Rehearsal");
  await page.getByLabel("Loans made from").fill("2026-03-01");
  await page.getByRole("button", { name: /^Rehearse draft/ }).click();
  const short = page.getByRole("region", { name: "In short" });
  await expect(short).toContainText("Due dates that change", { timeout: 60_000 });
  await expect(page.getByRole("region", { name: "Change of due dates" })).toContainText("3 days later");
  const moved = await page
    .getByRole("region", { name: "By lending branch" })
    .getByRole("row", { name: /^Saltmere/ })
    .getByRole("cell")
    .nth(2)
    .textContent();
  expect(moved).toBe("0");
  const download = page.waitForEvent("download");
  await page.getByRole("link", { name: "Export all as CSV" }).click();
  expect(await readFile(await (await download).path(), "utf8")).toContain("lending branch,Thistle Bay");

  await page.getByRole("button", { name: "Put in force …" }).click();
  const putting = page.getByRole("region", { name: "Put in force" });
  await expect(putting).toContainText("1 example does not give the expected result: “A film at Thistle Bay”");
  await expect(putting).toContainText(/1 rule differs from edition \d+/);
  await expect(putting).toContainText("Rehearsed on Sun 1 Mar 2026 to Tue 6 Oct 2026");
  await page.getByRole("button", { name: /^Put in force from/ }).click();
  await expect(page.getByRole("alert")).toContainText("“A film at Thistle Bay” does not give the expected result");
  await page.getByLabel("Reason for the change").fill("Fewer come by in autumn");
  await page.getByRole("button", { name: /^Put in force from/ }).click();
  await expect(page.getByText(/^Edition \d+ in force since/)).toBeVisible();
});

test("the way back to an older edition says what it takes back, and an edition that has not begun is withdrawn", async ({
  page,
}) => {
  await signIn(page, "Maren Odell");
  await go(page, "Rulebook");
  await expect(page.getByText(/^Edition \d+ in force since/)).toBeVisible();
  // A row set as a whole is one rule, for all branches and without the columns.
  await page.getByRole("button", { name: "Start a draft" }).click();
  await expect(page.getByText(/^Draft \d+: 0 rules differ/)).toBeVisible();
  await page.getByRole("button", { name: "Adult", exact: true }).click();
  await page
    .getByLabel("Renewals", { exact: true })
    .or(page.getByLabel(/^Loan period: days/))
    .fill("20");
  await page.getByRole("button", { name: "Save all" }).click();
  const written = page.getByRole("region", { name: "Change saved" });
  await expect(written).toContainText("as 2 rules");
  await expect(written).not.toContainText("Saltmere");
  // A half-written rule stays while a colleague changes the same draft.
  await tab(page, "Rules");
  await page.getByRole("button", { name: "Add rule" }).click();
  await page.getByLabel("Name").fill("Half written");
  const id = Number(new URL(page.url()).searchParams.get("edition"));
  const colleague = await page.evaluate(async (draft) => {
    const book = (await (await fetch("/api/rulebook")).json()) as { editions: { id: number; revision: number }[] };
    const answer = await fetch(`/api/rulebook/drafts/${draft}/terms`, {
      method: "PUT",
      headers: { "Content-Type": "application/json", "Idempotency-Key": `colleague ${Date.now()}` },
      body: JSON.stringify({
        revision: book.editions.find((e) => e.id === draft)?.revision,
        scope: { material_class: ["game"], patron_class: ["youth"] },
        term: "renewals",
        value: 4,
        name: "By a colleague",
      }),
    });
    return answer.status;
  }, id);
  expect(colleague).toBe(200);
  await expect(page.getByText("By a colleague")).toBeVisible();
  await expect(page.getByLabel("Name")).toHaveValue("Half written");
  await page.getByRole("button", { name: "Cancel" }).click();

  await page.getByRole("button", { name: "Put in force …" }).click();
  await page.getByLabel("From", { exact: true }).fill("2026-12-01");
  await page.getByLabel("Reason for the change").fill("For the winter");
  await page.getByRole("button", { name: "Put in force from Tue 1 Dec" }).click();
  await expect(page.getByText(/^Edition \d+ comes into force on Tue 1 Dec/)).toBeVisible();
  await page.getByRole("button", { name: /^Withdraw edition/ }).click();
  await expect(page.getByText(/^Edition \d+ was withdrawn before it began on Tue 1 Dec/)).toBeVisible();

  const line = page.getByRole("region", { name: "Editions" });
  await line
    .getByRole("button", { name: /^1 · / })
    .or(line.getByRole("button", { name: /^\d+ · / }).first())
    .first()
    .click();
  await page.getByRole("button", { name: /^Start a draft from edition \d+/ }).click();
  await expect(page.getByText(/^Draft \d+: 0 rules differ/)).toBeVisible();
  await page.getByRole("button", { name: "Put in force …" }).click();
  await expect(page.getByRole("region", { name: "Put in force" })).toContainText(
    /It undoes \d+ changes? made since then/,
  );
  await page.getByRole("button", { name: "Delete this draft" }).click();
});

test("a rule is written, conflicts are named, and the ranking shows what it would change", async ({ page }) => {
  await signIn(page, "Maren Odell");
  await go(page, "Rulebook");
  await page.getByRole("button", { name: "Start a draft" }).click();
  await expect(page.getByText(/^Draft \d+: 0 rules differ/)).toBeVisible();
  await tab(page, "Rules");
  await page.getByRole("button", { name: "Add rule" }).click();
  const form = page.getByRole("form", { name: "Add rule" });
  await form.getByLabel("Name").fill("Games and kits for a fortnight");
  await form.getByRole("button", { name: "Game", exact: true }).click();
  await form.getByRole("button", { name: "Kit", exact: true }).click();
  await form.getByLabel("Add a term").selectOption({ label: "Loan period" });
  await form.getByLabel(/^Loan period: days/).fill("21");
  await form.getByRole("button", { name: "Save in draft" }).click();
  const rule = page.getByRole("listitem").filter({ hasText: "Games and kits for a fortnight" }).last();
  await expect(rule).toContainText("Conflicts with “Games go out for a week”");
  await page.getByRole("button", { name: "Put in force …" }).click();
  await page.getByRole("button", { name: /^Put in force from/ }).click();
  await expect(page.getByRole("alert")).toContainText("neither is narrower");
  await rule.getByRole("button", { name: "Remove" }).click();
  await expect(page.getByText("Conflicts with")).toHaveCount(0);

  for (let k = 0; k < 4; k++) await page.getByRole("button", { name: "Rank patron class higher" }).click();
  await expect(page.getByRole("region", { name: "Terms that differ" }).first()).toContainText("Loan period");
  await page.getByRole("button", { name: "Reset" }).click();
  await tab(page, "File");
  const download = page.waitForEvent("download");
  await page.getByRole("link", { name: "Export file" }).click();
  const text = await readFile(await (await download).path(), "utf8");
  await bring(page, text.replace('"loan_period": "P14D"', '"loan_period": "14 days"'));
  await page.getByRole("button", { name: "Preview" }).click();
  await expect(page.getByRole("region", { name: "Import", exact: true }).getByRole("alert")).toContainText(
    /\$\.rules\[\d+\]\.terms\.loan_period/,
  );
  await bring(page, text.replace('"loan_period": "P14D"', '"loan_period": "P15D"'));
  await page.getByRole("button", { name: "Preview" }).click();
  await expect(page.getByRole("region", { name: "Rules that differ" })).toContainText("15 days");
  await page.getByRole("button", { name: "Import as draft" }).click();
  await expect(page.getByText(/^Draft \d+, “From a file”: 1 rule differs/)).toBeVisible();
});

test("desk staff find the wrong class behind a loan, mend it, and report what they cannot mend", async ({ page }) => {
  const [card, book] = [await goodCard("SLM"), await freeItem("SLM", "book")];
  await signIn(page, "Jory Tamm");
  await go(page, "Desk");
  await scan(page, card);
  await expect(page.getByRole("region", { name: "Patron" })).toContainText("Adult");
  await scan(page, book);
  await expect(page.getByRole("region", { name: "Scanned items" }).getByText("Lent", { exact: true })).toBeVisible();
  const loan = await ask(
    "SELECT l.id FROM loans l JOIN items i ON i.id = l.item_id WHERE i.barcode = $1 AND l.returned_at IS NULL",
    book,
  );
  await page.goto(`/rulebook?loan=${loan}`);
  const terms = page.getByRole("region", { name: "Terms of this loan" });
  await expect(terms.getByRole("row", { name: /^Loan period/ })).toContainText("Base rule");
  await page.getByLabel("The item is really a").selectOption({ label: "Film" });
  await page.getByRole("button", { name: "Correct class" }).first().click();
  await expect(page.getByRole("region", { name: "Classes" })).toContainText("now Film");
  await expect(page.getByRole("region", { name: "Classes" })).toContainText("(7 days)");
  await expect(terms.getByRole("row", { name: /^Loan period/ })).toContainText("21 days");
  await page.getByLabel("What happened").fill("The base rule fines two days of a storm");
  await page.getByLabel("What you expected").fill("No lateness while the ferry does not run");
  await page.getByRole("button", { name: "Send report" }).click();
  await expect(page.getByRole("status")).toContainText("Reported to the supervisor");

  await signIn(page, "Maren Odell");
  await page.goto("/rulebook?tab=reports");
  const report = page.getByRole("listitem").filter({ hasText: "two days of a storm" });
  await expect(report).toContainText("Jory Tamm, Saltmere");
  // From the report to the loan, and from there to a rule of a new draft, which is dropped again.
  await report.getByRole("link", { name: /^Loan terms/ }).click();
  await page.getByRole("button", { name: "Add rule in a new draft" }).click();
  await expect(
    page.getByRole("form", { name: "Add rule" }).getByRole("button", { name: "Film", exact: true }),
  ).toHaveAttribute("aria-pressed", "true");
  await page.getByRole("button", { name: "Delete this draft" }).click();
  await page.goto("/rulebook?tab=reports");
  await report.getByLabel("Answer").fill("A closure is entered for such days now");
  await report.getByRole("button", { name: "Answer" }).click();
  await expect(page.getByRole("listitem").filter({ hasText: "two days of a storm" })).toContainText("Answered");
});

test("a storm: the branch closes now, due dates follow, and it is undone", async ({ page }) => {
  await signIn(page, "Maren Odell");
  await go(page, "Calendars");
  await page.getByRole("combobox", { name: "Branch" }).selectOption({ label: "Saltmere" });
  await page.getByRole("button", { name: "Next year" }).click();
  await expect(page.getByText(/^Saltmere is open on \d+ days of 2027/)).toBeVisible();
  await page.getByRole("button", { name: "Recurring closure" }).click();
  await page.getByLabel("First date").fill("2026-12-24");
  await page.getByLabel("Reason").fill("Christmas Eve");
  await page.getByRole("button", { name: "Preview" }).click();
  const touched = page.getByRole("region", { name: "What will change" });
  await expect(touched).toContainText("Christmas Eve");
  await touched.getByRole("button", { name: "Apply" }).click();
  await expect(page.getByRole("status")).toContainText("It can be undone below");
  await expect(page.getByRole("region", { name: "Exceptions" })).toContainText("Fri 24 Dec 2027");
  const open = await page.getByText(/^Saltmere is open on \d+ days of 2027/).textContent();
  await page.getByRole("region", { name: "Activity" }).getByRole("button", { name: "Undo" }).first().click();
  await expect(page.getByText(open!)).toHaveCount(0);
  await expect(page.getByRole("region", { name: "Exceptions" })).not.toContainText("24 Dec 2027");

  // A closure that many due dates make way for: they come part by part, one is left out, the rest moves and moves back.
  await page.getByRole("button", { name: "Previous year" }).click();
  await page.getByRole("combobox", { name: "Branch" }).selectOption({ label: "Havenhead" });
  await page.getByRole("button", { name: "Close", exact: true }).click();
  const day = await ask(
    `SELECT due_date::text FROM loans, training_clock WHERE branch_code = 'HVH' AND returned_at IS NULL
     AND due_date > shows + interval '1 day' GROUP BY 1 ORDER BY count(*) DESC LIMIT 1`,
  );
  await page.getByLabel("Closed from").fill(day);
  await page.getByLabel("Reason").fill("Boiler");
  const dueThen = () =>
    ask(`SELECT count(*)::text FROM loans WHERE branch_code = 'HVH' AND due_date = '${day}' AND returned_at IS NULL`);
  const before = Number(await dueThen());
  expect(before).toBeGreaterThan(100);
  await page.getByRole("button", { name: "Preview" }).click();
  await expect(touched).toContainText(`${before} due dates move`);
  await expect(touched.getByRole("checkbox")).toHaveCount(100);
  await touched.getByRole("button", { name: "Show more" }).click();
  const rows = touched.getByRole("table", { name: "Due dates that change" });
  await expect(rows).toHaveAttribute("aria-rowcount", String(Math.min(before, 200) + 1)); // and its head
  await touched.getByRole("checkbox").first().uncheck();
  await expect(touched).toContainText(`${before - 1} due dates move`);
  await touched.getByRole("button", { name: "Apply" }).click();
  await expect(page.getByRole("status")).toContainText("It can be undone below");
  expect(await dueThen()).toBe("1");
  await page.getByRole("region", { name: "Activity" }).getByRole("button", { name: "Undo" }).first().click();
  await expect(page.getByRole("region", { name: "Exceptions" })).not.toContainText("Boiler");
  expect(await dueThen()).toBe(String(before));

  await page.getByRole("button", { name: "Weekly hours" }).click();
  await page.getByLabel("Tuesday").fill("18:00-10:00");
  await page.getByRole("button", { name: "Preview" }).click();
  await expect(page.getByRole("alert")).toContainText("does not end after it begins");
});

test("axe-core finds nothing in the rulebook's tabs", async ({ page }) => {
  await signIn(page, "Maren Odell");
  for (const t of ["rules", "compare", "examples", "rehearsal", "reports", "file"]) {
    await page.goto(`/rulebook?tab=${t}&edition=3`);
    await expect(page.getByText(/^Draft 8/).first()).toBeVisible();
    await page.waitForLoadState("networkidle");
    await readsWell(page, t);
  }
});

// Checked against npm date-holidays: the public holidays of Nova Scotia, as somebody would bring them in a file.
test("public holidays come from a calendar file", async ({ page }) => {
  const holidays = new Holidays("CA", "NS").getHolidays(2028).filter((h) => h.type === "public");
  expect(holidays.length).toBeGreaterThan(4);
  const day = (text: string) => text.slice(0, 10);
  const events = holidays.map(
    (h, k) =>
      `BEGIN:VEVENT\r\nUID:${k}@holidays.invalid\r\nDTSTAMP:20260101T000000Z\r\nDTSTART;VALUE=DATE:${day(h.date).replaceAll("-", "")}\r\nSUMMARY:${h.name}\r\nEND:VEVENT\r\n`,
  );
  const text = `BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//holidays//EN\r\n${events.join("")}END:VCALENDAR\r\n`;
  await signIn(page, "Maren Odell");
  await page.goto("/calendars?branch=LNF&year=2028");
  await page.getByRole("button", { name: "From a calendar file" }).click();
  await page.getByLabel(/^A calendar of public holidays/).setInputFiles({
    name: "holidays.ics",
    mimeType: "text/calendar",
    buffer: Buffer.from(text),
  });
  await page.getByRole("button", { name: "all" }).click();
  await page.getByRole("button", { name: /^Preview (this change|these changes)/ }).click();
  await page.getByRole("region", { name: "What will change" }).getByRole("button", { name: "Apply" }).click();
  await expect(page.getByRole("status")).toContainText(`${holidays.length} closures from a calendar file`);
  const read = page.getByRole("region", { name: "Exceptions" });
  for (const h of holidays) await expect(read).toContainText(`${h.name}: closed`);
  // Every branch has them, on those very days.
  for (const branch of ["HVH", "SKN", "LNF"]) {
    const answer = await page.request.get(`/api/calendars/${branch}?year=2028`);
    const calendar = (await answer.json()) as { days: { date: string; kind: string; reason: string }[] };
    const closed = calendar.days.filter((d) => d.kind === "closure").map((d) => d.date);
    expect(closed).toEqual([...new Set(holidays.map((h) => day(h.date)))].sort());
  }
});
