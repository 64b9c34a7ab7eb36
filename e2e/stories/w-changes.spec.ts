import { expect } from "@playwright/test";
import { test } from "../house.ts";
import { ask, go, signIn } from "../kit.ts";

const dueOn = (day: string) => `SELECT count(*)::text FROM loans WHERE returned_at IS NULL AND due_date = '${day}'`;

test("a branch closes: due dates of a week move, one loan is left out, one comes back meanwhile, and all is undone as one", async ({
  page,
}) => {
  await signIn(page, "Maren Odell");
  await go(page, "Batch changes");
  const form = page.getByRole("form", { name: "Change" });
  await form.getByRole("button", { name: "Preview" }).click();
  await expect(form.getByText("Choose the new day.")).toBeVisible();
  await expect(form.getByText("Enter a reason. It is kept with the change.")).toBeVisible();
  await form.getByLabel("Move").selectOption("days");
  await form.getByLabel("Days", { exact: true }).fill("14");
  await form
    .getByRole("group", { name: /^Lent at/ })
    .getByRole("button", { name: "Saltmere" })
    .click();
  await form.getByLabel("Reason").fill("Boiler work");
  await form.getByRole("button", { name: "Preview" }).click();
  const lines = page.getByRole("table", { name: "Records that change" });
  await lines.getByRole("row").nth(1).getByRole("checkbox").uncheck();
  const apply = page.getByRole("button", { name: /^Apply to \d+ loans/ });
  await expect(apply).toBeEnabled();
  const open = Number(
    await ask("SELECT count(*)::text FROM loans WHERE returned_at IS NULL AND lost_at IS NULL AND branch_code = 'SLM'"),
  );
  const moves = Number(/\d+/.exec((await apply.textContent()) ?? "")?.[0]);
  expect(moves).toBeGreaterThan(10);
  expect(moves).toBeLessThan(open);
  const before = await ask(
    "SELECT sum(coalesce(due_date, due_at::date) - '2026-01-01'::date)::text FROM loans WHERE returned_at IS NULL",
  );
  await apply.dblclick();
  const activity = page.getByRole("table", { name: "Activity" });
  await expect(activity.getByText("Applied")).toBeVisible();
  await expect(activity.getByText(`${moves} records changed`)).toBeVisible();
  expect(await ask("SELECT count(*)::text FROM sweeps WHERE kind = 'due'"), "a double click applies it once").toBe("1");
  expect(await ask("SELECT count(*)::text FROM events WHERE kind = 'due_moved'")).toBe(String(moves));
  await ask(`WITH one AS (SELECT l.id FROM loans l JOIN sweep_lines s ON s.loan_id = l.id WHERE s.state = 'done' LIMIT 1)
    UPDATE loans SET renewals = renewals + 1, due_date = '2027-01-05', due_at = NULL FROM one WHERE one.id = loans.id RETURNING loans.id::text`);
  await activity.getByRole("button", { name: "Undo" }).click();
  await expect(activity.getByText("Undone", { exact: true })).toBeVisible();
  await expect(activity.getByText(`${moves - 1} undone; 1 could not be undone`)).toBeVisible();
  expect(await ask(dueOn("2027-01-05"))).toBe("1");
  await activity.getByRole("button", { name: /^Due dates 14 days later/ }).click();
  const records = page.getByRole("region", { name: "Records" });
  await records.getByLabel("Status").selectOption("stays");
  await expect(records.getByText("Changed in the meantime")).toBeVisible();
  expect(before).not.toBe("");
});

test("late fines of a week are waived for one reason, and what was typed is there after another tab", async ({
  page,
}) => {
  await signIn(page, "Maren Odell");
  await go(page, "Batch changes");
  await page.getByRole("button", { name: "Late fines" }).click();
  const form = page.getByRole("form", { name: "Change" });
  await form.getByLabel("Reason").fill("Storm week");
  await page.getByRole("button", { name: "Cards" }).click();
  await page.getByRole("button", { name: "Late fines" }).click();
  await expect(form.getByLabel("Reason")).toHaveValue("Storm week");
  await form.getByRole("button", { name: "Preview" }).click();
  await expect(page.getByText("Choose which records. Without any filter this would be all of them.")).toBeVisible();
  await page.getByRole("region", { name: "Preview" }).getByRole("button", { name: "Edit" }).click();
  await form
    .getByRole("group", { name: /^Charged at/ })
    .getByRole("button", { name: "Havenhead" })
    .click();
  await form.getByRole("button", { name: "Preview" }).click();
  const owed = "SELECT coalesce(sum(balance), 0)::text FROM patrons";
  const before = Number(await ask(owed));
  await page.getByRole("button", { name: /^Apply to/ }).click();
  const activity = page.getByRole("table", { name: "Activity" }).getByRole("row").nth(1);
  await expect(activity.getByText("Applied")).toBeVisible({ timeout: 60_000 });
  expect(Number(await ask(owed))).toBeLessThan(before);
  await activity.getByRole("button", { name: "Undo" }).click();
  await expect(activity.getByText("Undone", { exact: true })).toBeVisible({ timeout: 60_000 });
  expect(Number(await ask(owed))).toBe(before);
});

test("the desk has no batch changes", async ({ page }) => {
  await signIn(page, "Jory Tamm");
  await expect(page.getByRole("link", { name: "Batch changes" })).toHaveCount(0);
});
