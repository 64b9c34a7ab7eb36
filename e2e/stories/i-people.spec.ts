import { expect } from "@playwright/test";
import { test } from "../house.ts";
import { ask, freeItem, go, scan, signIn, tab, tape } from "../kit.ts";

/** One record for each person, complete enough to lend, tell and collect. */

test("somebody is registered after looking who is here, with the next of the household, and comes up by the new card", async ({
  page,
}) => {
  await signIn(page, "Jory Tamm");
  await go(page, "Patrons");
  await page.getByRole("button", { name: "Register somebody" }).click();
  const form = page.getByRole("form", { name: "Register somebody" });
  await expect(form).toBeVisible();
  const beyond = () => page.evaluate(() => document.documentElement.scrollHeight - window.innerHeight);
  expect(await beyond(), "one bar to scroll by").toBe(0);
  await form.getByRole("button", { name: "Register", exact: true }).click();
  await expect(form.getByText("Enter a name.")).toBeVisible();

  // Somebody who is here, spelt otherwise: they are shown while one types, with a link to look.
  const [name = "", born = ""] = (
    await ask(
      "SELECT legal_name || '|' || born FROM patrons WHERE class = 'adult' AND length(legal_name) > 9 ORDER BY id LIMIT 1",
    )
  ).split("|");
  const here = form.getByRole("region", { name: "Possible duplicates" });
  await form.getByLabel(/^Legal name/).fill(`${name}e`);
  await form.getByLabel(/^Born/).fill(born);
  await expect(here).toContainText("name spelt nearly so, same birth date");
  await form.getByLabel(/^Legal name/).fill(name);
  await expect(here).toContainText("Check first");

  await form.getByLabel(/^Legal name/).fill("Sunniva Brock");
  await form.getByLabel(/^Born/).fill("1990-02-03");
  await expect(here).toContainText("No similar patrons");
  await expect(form.getByLabel(/^Patron class/)).toHaveValue("adult");
  await expect(form.getByText("Born, age 36")).toBeVisible();
  await form.getByLabel("Email", { exact: true }).fill("sunniva");
  await form.getByRole("button", { name: "Register", exact: true }).click();
  await expect(form.getByText("Enter an email address with an @.")).toBeVisible();
  await form.getByLabel("Photographs").selectOption("no");
  await form.getByLabel("Email", { exact: true }).fill("sunniva@post.example");
  await form.getByRole("button", { name: "Register", exact: true }).click();
  await expect(form.getByRole("alert")).toContainText("address: Required.");
  // Called away in the middle: what was written down is there on coming back, and a card scanned anywhere goes to its field.
  await go(page, "Holds");
  await go(page, "Patrons");
  await page.getByRole("button", { name: "Register somebody" }).click();
  await expect(form.getByLabel("Email", { exact: true })).toHaveValue("sunniva@post.example");
  const free = await ask(
    "SELECT '21846' || lpad((70000000 + count(*))::text, 8, '0') FROM patrons", // its check digit is added
  );
  await form.getByLabel("Phone", { exact: true }).focus();
  await scan(page, free);
  await expect(form.getByLabel("Card", { exact: true })).toHaveValue(free);
  await expect(form.getByLabel("Phone", { exact: true })).toHaveValue("");
  // An item that is scanned while the card field has the focus goes where items go, and the field stays.
  await form.getByLabel("Card", { exact: true }).focus();
  await scan(page, await ask("SELECT barcode FROM items WHERE standing = 'in_use' ORDER BY id LIMIT 1"));
  await expect(page).toHaveURL(/\/items/);
  await go(page, "Patrons");
  await page.getByRole("button", { name: "Register somebody" }).click();
  await expect(form.getByLabel("Card", { exact: true })).toHaveValue(free);
  await scan(page, await ask("SELECT card FROM patrons WHERE standing = 'active' ORDER BY id LIMIT 1")); // somebody comes
  await expect(page).toHaveURL(/\/desk/);
  await go(page, "Patrons");
  await page.getByRole("button", { name: "Register somebody" }).click();
  await expect(form.getByLabel("Card", { exact: true })).toHaveValue(free);
  await form.getByLabel(/^Street address/).fill("9 Net Loft Wharf");
  const [code = "", town = ""] = (
    await ask("SELECT postal_code || '|' || town FROM patrons WHERE postal_code <> '' ORDER BY id LIMIT 1")
  ).split("|");
  await form.getByLabel("Postal code").fill(code.toLowerCase());
  await expect(form.getByLabel("Town", { exact: true })).toHaveValue(town);
  await form.getByRole("button", { name: "Register and add household member" }).click();

  await expect(page.getByText("New member of the household of Sunniva Brock.")).toBeVisible();
  await expect(form.getByLabel(/^Street address/)).toHaveValue("9 Net Loft Wharf");
  await form.getByLabel(/^Legal name/).fill("Pim Brock");
  await form.getByLabel(/^Born/).fill("2018-05-06");
  await expect(form.getByLabel(/^Patron class/)).toHaveValue("child");
  await expect(form.getByLabel(/^Guardian/).first()).toHaveValue("Sunniva Brock");
  await form.getByRole("button", { name: "Register", exact: true }).click();
  await expect(page.getByRole("heading", { name: "Pim Brock" }).first()).toBeVisible();
  await tab(page, "Record");
  const household = page.getByRole("region", { name: "Household" });
  await expect(household).toContainText("Sunniva Brock");
  await expect(household).toContainText("Guardian: Sunniva Brock");

  expect(
    await ask(
      "SELECT c.answer FROM consents c JOIN patrons p ON p.id = c.patron_id WHERE p.legal_name = 'Sunniva Brock'",
    ),
  ).toBe("no");

  // After saving, the new card comes up at the desk, and lends.
  const card = await ask("SELECT card FROM patrons WHERE legal_name = 'Sunniva Brock'");
  await go(page, "Desk");
  await scan(page, card);
  await expect(page.getByRole("region", { name: "Patron" })).toContainText("Sunniva Brock");
  await scan(page, await freeItem("SLM", "book"));
  await expect(tape(page).locator("li").first()).toContainText("Lent");
});

test("a record is changed, blocked, noted and answered for; two at once do not undo each other", async ({
  page,
  browser,
}) => {
  await signIn(page, "Bea Lindgard");
  const id = await ask(
    "SELECT id::text FROM patrons WHERE branch_code = 'HVH' AND class = 'child' AND standing = 'active' AND older_reader IS NOT NULL AND balance = 0 ORDER BY id DESC LIMIT 1",
  );
  await page.goto(`/patrons?patron=${id}`);
  await page.getByRole("button", { name: "Edit record" }).click();
  const other = await (await browser.newContext()).newPage();
  await signIn(other, "Maren Odell");
  await other.goto(`/patrons?patron=${id}&form=change`);
  for (const p of [other, page]) {
    await p
      .getByRole("form", { name: "Record" })
      .getByLabel("School number")
      .fill(p === other ? "S-1041" : "S-9");
    await p.getByRole("form", { name: "Record" }).getByRole("button", { name: "Save" }).click();
    if (p === other) await expect(p.getByRole("button", { name: "Edit record" })).toBeVisible();
  }
  await expect(page.getByRole("alert")).toContainText("Somebody else has changed this record");
  await expect(page.getByRole("form", { name: "Record" }).getByLabel("School number")).toHaveValue("S-9");
  await page.goto(`/patrons?words=S-1041`);
  await expect(page.getByRole("region", { name: "Patrons found" }).getByRole("listitem")).toHaveCount(1);

  await page.goto(`/patrons?patron=${id}`);
  const notes = page.getByRole("region", { name: "Notes" });
  await notes.getByRole("button", { name: "Add" }).click();
  await notes.getByLabel("Text").fill("Library bag is at the desk");
  // Refused, what was typed stays.
  await page.route("**/notes", (r) => r.fulfill({ status: 409, json: { title: "Conflict", detail: "Not now." } }), {
    times: 1,
  });
  await notes.getByRole("button", { name: "Add note" }).click();
  await expect(notes.getByText("Not now.")).toBeVisible();
  await expect(notes.getByLabel("Text")).toHaveValue("Library bag is at the desk");
  await notes.getByRole("button", { name: "Add note" }).click();
  await expect(notes.getByRole("listitem").filter({ hasText: "Library bag" })).toContainText("For the desk");
  const standing = page.getByRole("region", { name: "Status" });
  await page.keyboard.press("]"); // one key: two that follow each other at once are the beginning of a scan
  await expect(page.getByRole("button", { name: "Account", exact: true })).toHaveAttribute("aria-current", "page");
  await tab(page, "Record");
  await standing.getByRole("button", { name: "Edit" }).click();
  await expect(standing.getByRole("combobox", { name: "Status" })).not.toContainText("Excluded");
  await standing.getByLabel("Blocked from borrowing").check();
  await standing.getByRole("button", { name: "Save" }).click();
  await expect(standing.getByRole("alert")).toContainText("Enter why they are blocked.");
  await standing.getByLabel(/^Reason for the block/).fill("Three kites not back");
  await standing.getByRole("button", { name: "Save" }).click();
  await expect(standing).toContainText("Blocked from borrowing: Three kites not back");

  const agreed = page.getByRole("region", { name: "Consents" });
  await tab(page, "Notices and consents");
  await agreed.getByRole("button", { name: "Record answer" }).click();
  await expect(agreed).toContainText("changed only by staff with that right");
  // What was answered before stays as it is; the others are two answers in one act.
  await expect(agreed.getByLabel("Older-reader material").getByRole("option")).toHaveCount(1);
  await agreed.getByLabel("Internet").selectOption("filtered");
  await agreed.getByLabel("Photographs").selectOption("no");
  await agreed.getByRole("button", { name: "Save 2 answers" }).dblclick();
  await expect(agreed.locator("dl")).toContainText("Photographsno");
  expect(await ask(`SELECT count(*) FROM consents WHERE patron_id = ${id} AND what <> 'older_reader'`)).toBe("2");

  const card = await ask(`SELECT card FROM patrons WHERE id = ${id}`);
  const change = page.getByRole("region", { name: "Card and PIN" });
  await tab(page, "Record");
  await change.getByRole("button", { name: "Edit" }).click();
  await change.getByLabel("Reason for replacement").fill("Lost on the ferry");
  await change.getByRole("button", { name: "Issue card" }).click();
  await expect.poll(() => ask(`SELECT card FROM patrons WHERE id = ${id}`)).not.toBe(card);
  await expect(change.getByText("Charge for it?")).toBeVisible();
  await change.getByRole("button", { name: "Add charge" }).dblclick();
  await expect(change.getByText("Charge for it?")).toBeHidden();
  expect(await ask(`SELECT count(*) FROM ledger WHERE patron_id = ${id} AND about = 'manual'`)).toBe("1");
  await change.getByRole("button", { name: "Set PIN" }).click();
  await expect(change.getByRole("status")).toContainText(/The PIN is \d{6}/);

  await go(page, "Desk");
  await scan(page, card);
  await expect(tape(page).locator("li").first()).toContainText("has been replaced");
  await scan(page, await ask(`SELECT card FROM patrons WHERE id = ${id}`));
  await expect(page.getByRole("region", { name: "Patron" })).toContainText("Three kites not back");
  await expect(page.getByRole("main")).toContainText("Library bag is at the desk");
  await other.context().close();
});

test("a photograph is taken, seen at the desk, and taken off again", async ({ page }) => {
  const card = await ask(
    `SELECT card FROM patrons WHERE branch_code = 'HVH' AND class = 'adult' AND standing = 'active' AND photo IS NULL AND card_until > '2027-01-01'
     ORDER BY id DESC LIMIT 1`,
  );
  await signIn(page, "Bea Lindgard");
  await page.goto("/desk");
  await scan(page, card);
  const patron = page.getByRole("region", { name: "Patron", exact: true });
  await expect(patron.getByRole("heading")).toBeVisible();
  await expect(patron.getByRole("img", { name: /Photograph/ })).toBeHidden();
  await patron.getByRole("link", { name: "Open record" }).click();
  await tab(page, "Record");
  const photograph = page.getByRole("region", { name: "Photograph" });
  // What is not a readable picture is said, and nothing is sent; a large one is made small here.
  await photograph.getByLabel("Picture file").setInputFiles({
    name: "notes.jpg",
    mimeType: "image/jpeg",
    buffer: Buffer.from("not a readable picture"),
  });
  await expect(photograph).toContainText("This file is not a readable picture. Choose a JPEG or PNG file.");
  await photograph.getByLabel("Picture file").setInputFiles({
    name: "large.png",
    mimeType: "image/png",
    buffer: await page.screenshot(),
  });
  await expect(photograph.getByRole("img", { name: /Photograph of/ })).toBeVisible();
  await go(page, "Desk");
  const shown = patron.getByRole("img", { name: /Photograph of/ });
  await scan(page, card);
  await expect(shown).toBeVisible();
  await expect
    .poll(() => shown.evaluate((i: HTMLImageElement) => `${i.naturalWidth} ${i.naturalHeight}`))
    .toBe("270 360");
  await patron.getByRole("link", { name: "Open record" }).click();
  await tab(page, "Record");
  await photograph.getByRole("button", { name: "Remove" }).click();
  await expect(photograph).toContainText("No photograph. The desk shows initials.");
});
