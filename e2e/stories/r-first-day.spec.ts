import { expect, test } from "@playwright/test";
import { execFileSync, spawn, type ChildProcess } from "node:child_process";
import pg from "pg";
import { ask, go, readsWell, scan, tab, tape } from "../kit.ts";

/** A network of one's own, from an empty database to its first loan and payment: in yen, which have no decimals, and in Kolkata. */

const name = "first_day";
const password = "a long password";
const before = process.env.DATABASE_URL ?? "";
const named = (database: string) => Object.assign(new URL(before), { pathname: database }).href;
let server: ChildProcess | undefined;

async function onServer(...statements: string[]) {
  const client = new pg.Client(named("postgres"));
  await client.connect();
  for (const s of statements) await client.query(s);
  await client.end();
}

/** What a command says, and whether it did what it was to do. */
function nevrin(...args: string[]): string {
  const env = { ...process.env, NEVRIN_PASSWORD: password };
  try {
    return execFileSync("../build/nevrin", args, { env, encoding: "utf8", stdio: ["ignore", "pipe", "pipe"] });
  } catch (e) {
    return `refused: ${(e as { stderr: string }).stderr}`;
  }
}

async function serve(): Promise<string> {
  const program = spawn("../build/nevrin", ["serve"], {
    env: { ...process.env, NEVRIN_LISTEN: "127.0.0.1:0", NEVRIN_TLS: "0", NEVRIN_SMTP: "" },
    stdio: ["ignore", "pipe", "ignore"],
  });
  server = program;
  return new Promise((found, failed) => {
    let said = "";
    program.stdout.on("data", (data: Buffer) => {
      said += data.toString();
      const at = /^Nevrin is at (\S+)/m.exec(said)?.[1];
      if (at) found(at);
    });
    program.once("exit", () => failed(new Error(`The program ended before it answered. It said: ${said}`)));
  });
}

test.beforeAll(async () => {
  await onServer(`DROP DATABASE IF EXISTS ${name} WITH (FORCE)`, `CREATE DATABASE ${name}`);
  process.env.DATABASE_URL = named(name);
});

test.afterAll(async () => {
  if (server?.exitCode === null) {
    const gone = new Promise((done) => server?.once("exit", done));
    server.kill("SIGTERM");
    await gone;
  }
  process.env.DATABASE_URL = before;
  await onServer(`DROP DATABASE IF EXISTS ${name} WITH (FORCE)`);
});

test("from an empty database to the first loan and the first yen", async ({ page }) => {
  const made = nevrin(
    ...["init", "--name", "Coast Libraries", "--timezone", "Asia/Kolkata", "--currency", "JPY"],
    ...["--branch", "OST Ostkai", "--branch", "SUD Südtor", "--hours", "mon-sun 00:05-23:55", "--courier", "daily"],
  );
  expect(made).toContain("2 branches, 6 rules, 6 examples, 1 courier run; amounts in JPY, times of Asia/Kolkata.");
  expect(nevrin("administrator", "add", "anna", "--name", "Anna Example", "--branch", "OST")).toContain(
    "signs in as anna",
  );
  const base = await serve();

  await page.goto(base);
  await page.getByLabel("Name").fill("anna");
  await page.getByLabel("Password").fill(password);
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
  await page.getByRole("button", { name: "Write it by hand" }).click();
  const title = page.getByRole("form", { name: "New title" });
  await title.getByLabel("Title", { exact: true }).fill("Ropewalk");
  await title.getByRole("button", { name: "Add the title" }).click();
  const copies = page.getByRole("form", { name: "Add copies" });
  await copies.getByLabel("Material class").selectOption({ label: "Book" });
  await copies.getByLabel("Collection").selectOption({ label: "General" });
  await copies.getByLabel("Price").fill("24.50");
  await copies.getByRole("button", { name: "Add", exact: true }).click();
  await expect(copies).toContainText("Enter a sum such as 1250.");
  await copies.getByLabel("Price").fill("2400");
  await copies.getByRole("button", { name: "Add", exact: true }).click();
  await expect(page.getByRole("region", { name: "Add copies" }).getByRole("status")).toContainText("added");

  await go(page, "Patrons");
  await page.getByRole("button", { name: "Register somebody" }).click();
  const form = page.getByRole("form", { name: "Register somebody" });
  await form.getByLabel(/^Legal name/).fill("Sunniva Brock");
  await form.getByLabel(/^Born/).fill("1990-02-03");
  await expect(form.getByLabel(/^Patron class/)).toHaveValue("adult");
  await form.getByLabel(/^Street and number/).fill("9 Net Loft Wharf");
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
  await expect(page.getByRole("table", { name: "What waits at each branch" })).toBeVisible();
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
  await pay.getByLabel("Sum").fill("10.50");
  await pay.getByRole("button", { name: /^Take/ }).click();
  await expect(pay).toContainText("Enter a sum such as 1250.");
  await pay.getByLabel("Sum").fill("80");
  await pay.getByRole("button", { name: "Take ¥80" }).click();
  await expect(page.getByText("Taken ¥80.")).toBeVisible();
  expect(await ask("SELECT balance FROM patrons")).toBe("200");

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
