import { expect, test } from "@playwright/test";
import { ask, go, readsWell, scan, tab, tape } from "../kit.ts";
import { Own } from "../own.ts";

/** A network of one's own, from an empty database to its first loan and payment: in yen, which have no decimals, and in Kolkata. */

const own = new Own("first_day");

test.beforeAll(() => own.begin());
test.afterAll(() => own.end());

test("from an empty database to the first loan and the first yen", async ({ page }) => {
  const made = own.nevrin(
    ...["init", "--name", "Coast Libraries", "--timezone", "Asia/Kolkata", "--currency", "JPY"],
    ...["--branch", "OST Ostkai", "--branch", "SUD Südtor", "--hours", "mon-sun 00:05-23:55", "--courier", "daily"],
  );
  expect(made).toContain("2 branches, 6 rules, 6 examples, 1 courier run; amounts in JPY, times of Asia/Kolkata.");
  expect(own.nevrin("administrator", "add", "anna", "--name", "Anna Example", "--branch", "OST")).toContain(
    "signs in as anna",
  );
  const base = await own.serve();

  await page.goto(base);
  await page.getByLabel("Name").fill("anna");
  await page.getByLabel("Password").fill(Own.password);
  await page.getByRole("button", { name: "Sign in" }).click();
  const steps = page.getByRole("region", { name: "First steps" });
  await expect(steps).toContainText("2 of 9 done.");
  await readsWell(page, "First steps of an empty network");

  // Places that are empty say so, and speak of nothing that only a demo has.
  for (const place of ["Holds", "Fetch list", "Courier", "Interlibrary", "Notices", "Rosters", "Money"]) {
    await go(page, place);
    await expect(page.locator("[aria-busy=true]")).toHaveCount(0);
    expect.soft(await page.getByRole("main").innerText(), place).not.toMatch(/demo|training/i);
  }

  await go(page, "Items");
  await tab(page, "Add");
  await page.getByRole("button", { name: "Enter by hand" }).click();
  const title = page.getByRole("form", { name: "New title" });
  await title.getByLabel("Title", { exact: true }).fill("Ropewalk");
  await title.getByRole("button", { name: "Add title" }).click();
  const copies = page.getByRole("form", { name: "Add copies" });
  await copies.getByLabel("Material class").selectOption({ label: "Book" });
  await copies.getByLabel("Collection").selectOption({ label: "General" });
  await copies.getByLabel("Price").fill("24.50");
  await copies.getByRole("button", { name: "Add", exact: true }).click();
  await expect(copies).toContainText("Enter an amount such as 1250.");
  await copies.getByLabel("Price").fill("2400");
  await copies.getByRole("button", { name: "Add", exact: true }).click();
  await expect(page.getByRole("region", { name: "Add copies" }).getByRole("status")).toContainText("added");

  await go(page, "Patrons");
  await page.getByRole("button", { name: "Register somebody" }).click();
  const form = page.getByRole("form", { name: "Register somebody" });
  await form.getByLabel(/^Legal name/).fill("Sunniva Brock");
  await form.getByLabel(/^Born/).fill("1990-02-03");
  await expect(form.getByLabel(/^Patron class/)).toHaveValue("adult");
  await form.getByLabel(/^Street address/).fill("9 Net Loft Wharf");
  await form.getByRole("button", { name: "Register", exact: true }).click();
  await expect(page.getByRole("heading", { name: "Sunniva Brock" }).first()).toBeVisible();
  const card = await ask("SELECT card FROM patrons");

  await go(page, "Desk");
  await scan(page, card);
  await expect(page.getByRole("region", { name: "Patron" })).toContainText("Sunniva Brock");
  await scan(page, await ask("SELECT barcode FROM items"));
  await expect(tape(page).locator("li").first()).toContainText("Lent");
  await page.getByRole("navigation").getByRole("link", { name: "Today" }).click();
  await page.reload();
  await expect(page.getByRole("table", { name: "Work by branch" })).toBeVisible();
  await expect(steps).toHaveCount(0);

  // It comes back fourteen open days late, past the two days of grace: twenty yen for each of them.
  await ask(
    "UPDATE loans SET lent_at = lent_at - interval '35 days', due_date = due_date - 35 RETURNING due_date::text",
  );
  await go(page, "Returns");
  await scan(page, await ask("SELECT barcode FROM items"));
  await expect(page.getByRole("main")).toContainText("¥280");
  await go(page, "Desk");
  await scan(page, card);
  await expect(page.getByRole("region", { name: "Patron" })).toContainText("¥280");
  await page.getByRole("button", { name: "Pay or waive" }).click();
  const pay = page.getByRole("form", { name: "Pay or waive" });
  await pay.getByLabel("Amount").fill("10.50");
  await pay.getByRole("button", { name: /^Take/ }).click();
  await expect(pay).toContainText("Enter an amount such as 1250.");
  await pay.getByLabel("Amount").fill("80");
  await pay.getByRole("button", { name: "Take ¥80" }).click();
  await expect(page.getByText("Received ¥80.")).toBeVisible();
  expect(await ask("SELECT balance FROM patrons")).toBe("200");
  const receipt = await page.request.get(
    new URL(`/api/slips/receipt/${await ask("SELECT id FROM receipts")}`, base).href,
  );
  expect(await receipt.text()).toContain("Sunniva Brock owes JPY 200 now");

  const id = await ask("SELECT id FROM patrons");
  for (const path of [
    ...["/money?tab=till", "/money?tab=receipts", "/money?tab=figures", `/patrons?patron=${id}`, "/rulebook"],
    ...["/rulebook?tab=grid", "/notices", "/network?tab=lists", "/network?tab=settings", "/network?tab=status"],
  ]) {
    await page.goto(base + path);
    await expect(page.getByRole("heading", { level: 1 }).first()).toBeVisible();
    await expect(page.locator("[aria-busy=true]")).toHaveCount(0);
    const says = (await page.getByRole("main").innerText()).replace(/Nevrin .*PostgreSQL .*/, ""); // whose version has a point
    expect.soft(says, path).not.toMatch(/¥\s?[\d,]*\.\d|\b\d+\.\d\d?\b/);
  }
});
