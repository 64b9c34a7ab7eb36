import { expect } from "@playwright/test";
import { test } from "../house.ts";
import { readFile } from "node:fs/promises";
import { ask, freeItem, go, goodCard, readsWell, scan, signIn, tab, workAt } from "../kit.ts";

/** The check digit of a number, after Luhn. */
function luhn(number: string) {
  const sum = [...number].reduceRight((all, c, k) => {
    const doubled = (number.length - k) % 2 === 1 ? Number(c) * 2 : Number(c);
    return all + (doubled > 9 ? doubled - 9 : doubled);
  }, 0);
  return String((10 - (sum % 10)) % 10);
}

/** The stock: a book on the shelf in minutes, many things changed at once, a shelf walked along, what is looked for. */

test("a book is added by its ISBN: its record and picture come, copies get their labels, and it can be lent", async ({
  page,
}) => {
  await signIn(page, "Jory Tamm");
  await workAt(page, "Havenhead");
  await go(page, "Items");
  await tab(page, "Add");
  await scan(page, "9799970000011");
  const known = page.getByRole("region", { name: "What is known of it" });
  await expect(known).toContainText("The tide table reader");
  await expect(known).toContainText("Lantern & Oar");
  await known.getByRole("button", { name: "Take this record" }).click();
  const form = page.getByRole("form", { name: "New title" });
  await expect(form.getByLabel("Author")).toHaveValue("Roswen Quist");
  await form.getByLabel("Subjects, with semicolons").fill("Tides; Tables");
  await form.getByRole("button", { name: "Add the title" }).dblclick();
  const copies = page.getByRole("form", { name: "Add copies" });
  await expect(copies.getByLabel("Material class")).toHaveValue("book");
  await expect(copies.getByLabel("Collection")).not.toHaveValue(""); // where books stand most
  await copies.getByLabel("Collection").selectOption("");
  await copies.getByRole("button", { name: "Add", exact: true }).click();
  await expect(copies.getByText("Choose a collection.")).toBeVisible();
  await copies.getByLabel("Collection").selectOption({ label: "Non-fiction" });
  await copies.getByLabel("Call number").fill("532 QUI");
  await copies.getByLabel("Price").fill("24.50");
  await copies.getByLabel("How many").fill("3");
  const taken = await freeItem("HVH", "book");
  await copies.getByLabel(/^Their labels/).fill(taken);
  await copies.getByRole("button", { name: "Add", exact: true }).click();
  await expect(copies.getByRole("alert")).toContainText(`is in use`);
  await copies.getByLabel(/^Their labels/).fill("");
  await copies.getByRole("button", { name: "Add", exact: true }).click();
  const added = page.getByRole("region", { name: "Add copies" }).getByRole("status");
  await expect(added).toContainText("3 copies added");
  const address = await added.getByRole("link", { name: "Open 3 labels as PDF" }).getAttribute("href");
  const pdf = await page.request.get(address ?? "");
  expect(pdf.headers()["content-type"]).toBe("application/pdf");
  expect((await pdf.body()).subarray(0, 5).toString()).toBe("%PDF-");
  await added.getByRole("button", { name: "They are printed" }).click();
  expect(await ask("SELECT count(*) FROM titles WHERE isbn = '9799970000011'")).toBe("1");

  // Further copies, whose labels are scanned without a pause: one of them is in use, one is a card.
  const fresh = ["3184600990001", "3184600990002"].map((n) => n + luhn(n));
  for (const text of [fresh[0] ?? "", taken, fresh[1] ?? "", await goodCard("HVH")]) await scan(page, text);
  const scanned = page.getByRole("list", { name: "Labels scanned" });
  await expect(scanned.getByRole("listitem")).toHaveCount(4);
  await expect(scanned).toContainText("This label is in use.");
  await expect(scanned).toContainText("This is no label.");
  await expect(copies.getByLabel("Call number")).toHaveValue("532 QUI"); // what is alike stays
  await copies.getByRole("button", { name: "Add", exact: true }).click();
  await expect(added).toContainText("2 copies added");
  await expect(added).toContainText(fresh[1] ?? "");

  // The number is known here from now on, and the picture has come.
  await expect(page.getByText("5 copies, 5 on the shelf")).toBeVisible();
  await expect(page.getByRole("region", { name: "What is known of it" }).locator("img")).toBeVisible({
    timeout: 15_000,
  });
  await go(page, "Items");
  await tab(page, "Add");
  await scan(page, "979-9970-0000-1-1".replaceAll("-", ""));
  await expect(page.getByText("Here already")).toBeVisible();

  const number = await ask(
    "SELECT barcode FROM items i JOIN titles t ON t.id = i.title_id WHERE t.isbn = '9799970000011' ORDER BY i.id LIMIT 1",
  );
  await go(page, "Desk");
  await scan(page, await goodCard("HVH"));
  await scan(page, number);
  await expect(page.getByRole("main")).toContainText("The tide table reader");
});

test("a service that is late, silent or answers with another record is told apart, and a title is written by hand", async ({
  page,
}) => {
  await signIn(page, "Jory Tamm");
  await go(page, "Items");
  await tab(page, "Add");
  const field = page.getByLabel("ISBN", { exact: true });
  const asking = async (isbn: string) => {
    await field.fill(isbn);
    await page.getByRole("button", { name: "Ask for its record" }).click();
  };
  await asking("9799970000019");
  await expect(page.getByRole("alert")).toContainText("its last digit does not fit");
  await asking(await isbnOf("Somebody else's book"));
  const known = page.getByRole("region", { name: "What is known of it" });
  await expect(known).toContainText("Not this ISBN");
  await expect(known).toContainText("may be another title’s");
  await asking(await isbnOf("The slow ferry"));
  await expect(known).toContainText("has not answered within 6 seconds", { timeout: 12_000 });
  await page.getByRole("button", { name: "Write it by hand" }).click();
  const form = page.getByRole("form", { name: "New title" });
  await form.getByRole("button", { name: "Add the title" }).click();
  await expect(form.getByText("A title needs a name.")).toBeVisible();
  await form.getByLabel("Title", { exact: true }).fill("Ropewalk");
  await form.getByLabel("ISBN", { exact: true }).fill("0306406153");
  await form.getByRole("button", { name: "Add the title" }).click();
  await expect(form.getByRole("alert")).toContainText("its last digit does not fit");
  await form.getByLabel("ISBN", { exact: true }).fill("0-306-40615-2");
  await form.getByRole("button", { name: "Add the title" }).click();
  await expect(page.getByRole("heading", { name: "Add copies of Ropewalk" })).toBeVisible();
  expect(await ask("SELECT isbn FROM titles WHERE name = 'Ropewalk'")).toBe("9780306406157");

  /** The stand-in's page tells which number does what. */
  async function isbnOf(title: string) {
    const address = (await page.getByRole("link", { name: "Numbers to try" }).getAttribute("href")) ?? "";
    const rows = await (await page.request.get(address)).text();
    return new RegExp(`<code>(\\d{13})</code>\\s*<td>${title.replace("'", "&#39;")}`).exec(rows)?.[1] ?? "";
  }
});

test("misspelt words are offered as what was meant; titles are narrowed by branch and year", async ({ page }) => {
  await signIn(page, "Wil");
  await go(page, "Items");
  await expect(page.getByRole("button", { name: "Many at once" })).toHaveCount(0);
  await scan(page, "31846999999997"); // of nothing here: it is said where scans are told
  await expect(page.getByRole("alert")).toContainText("no item here has it");
  await page.getByRole("alert").getByRole("button").last().click();
  const field = page.getByLabel(/^Words of title/);
  await field.fill("tdie tabels");
  await page.getByRole("button", { name: "tide tables" }).click();
  const rows = page.getByRole("table", { name: "Titles" }).getByRole("row");
  await expect(rows.nth(1)).toContainText("Tide Tables");
  await expect(field).toHaveValue("tide tables");
  await page.getByLabel("From", { exact: true }).fill("2015");
  await expect(page).toHaveURL(/from=2015/);
  await expect(rows.nth(1)).toContainText(/20[12]\d/);
  await rows.nth(1).getByRole("link").click();
  await expect(page.getByRole("table", { name: "Copies" })).toBeVisible();
  await page.getByRole("table", { name: "Copies" }).getByRole("link").first().click();
  await expect(page.getByRole("region", { name: "Its terms" })).toContainText("it would be due");
  await page.getByRole("region", { name: "Its terms" }).getByRole("button", { name: "Why" }).first().click();
  await expect(page.getByRole("dialog")).toContainText("Classed as");
  await expect(page.getByRole("button", { name: "Out of the stock" })).toHaveCount(0);
});

test("a pile goes to another branch for a season, looked at first, and is taken back; the record of one says so", async ({
  page,
}) => {
  await signIn(page, "Maren Odell");
  await go(page, "Items");
  await tab(page, "Many at once");
  const items = [await freeItem("HVH", "book"), await freeItem("HVH", "film")];
  await scan(page, items[0] ?? "");
  await scan(page, items[1] ?? "");
  await scan(page, await goodCard("HVH"));
  const pile = page.getByRole("region", { name: "The pile" });
  await expect(pile).toContainText("2 items on the pile");
  await expect(pile).toContainText("This is no item.");
  await pile.getByRole("button", { name: "Change the pile" }).click();
  const form = page.getByRole("region", { name: "Change them" });
  await form.getByLabel("Belongs to").selectOption({ label: "Thistle Bay" });
  await form
    .getByLabel("only until, for a time")
    .fill(
      await ask("SELECT (shows + (clock_timestamp() - real_at) + interval '90 days')::date::text FROM training_clock"),
    );
  await form.getByRole("button", { name: "Look what it would do" }).click();
  await expect(form).toContainText("2 would be changed");
  await form.getByRole("button", { name: "Do it" }).dblclick();
  await expect(form.getByRole("status")).toContainText("2 changed");
  await go(page, "Items");
  await tab(page, "What was done");
  const deed = page.getByRole("table", { name: "What was done" }).getByRole("row").nth(1);
  await expect(deed).toContainText("Belongs to Thistle Bay until");
  await deed.getByRole("button", { name: "2" }).click();
  await expect(page.getByRole("table", { name: "Items of it" })).toContainText("then to Havenhead");
  await deed.getByRole("button", { name: "Take it back" }).click();
  await expect(deed).toContainText("taken back");
  expect(
    await ask(
      "SELECT count(*) FROM items WHERE barcode = ANY($1) AND branch_code = 'HVH' AND home_until IS NULL",
      items,
    ),
  ).toBe("2");
});

test("a shelf is scanned without a pause: out of order, on loan and unknown are said, the unseen is missing, looked for and found", async ({
  page,
}) => {
  await signIn(page, "Jory Tamm");
  await workAt(page, "Saltmere");
  await go(page, "Items");
  await tab(page, "Along a shelf");
  const shelf = await ask(
    `SELECT string_agg(barcode, ',' ORDER BY call_number COLLATE "C") FROM (SELECT DISTINCT ON (i.call_number COLLATE "C") i.barcode, i.call_number FROM items i WHERE i.at_branch = 'SLM' AND i.branch_code = 'SLM' AND i.standing = 'in_use'
     AND i.collection = 'fiction'
     AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id) ORDER BY i.call_number COLLATE "C", i.id LIMIT 6) x`,
  );
  const [a = "", b = "", c = "", unseen = "", d = "", e = ""] = shelf.split(",");
  const collection = await ask(
    "SELECT c.name FROM items i JOIN classes c ON c.kind = 'collection' AND c.code = i.collection WHERE i.barcode = $1",
    a,
  );
  const lent = await ask(
    "SELECT i.barcode FROM loans l JOIN items i ON i.id = l.item_id WHERE l.returned_at IS NULL AND i.branch_code = 'SLM' ORDER BY l.id LIMIT 1",
  );
  const form = page.getByRole("form", { name: "Begin along a shelf" });
  await form.getByRole("button", { name: "Begin" }).click();
  await expect(form.getByText("Say which shelves these are.")).toBeVisible();
  await form.getByLabel("Which shelves").fill("Harbour side");
  await form.getByLabel("Of which collection").selectOption({ label: collection });
  await form.getByRole("button", { name: "Begin" }).click();
  await expect(page.getByRole("heading", { name: "Harbour side" })).toBeVisible();
  for (const number of [a, e, b, c, lent, a, "31846999999997", d]) await scan(page, number);
  const lines = page.getByRole("region", { name: "Scans along the shelf" });
  await expect(lines.getByRole("listitem")).toHaveCount(8, { timeout: 15_000 });
  await expect(lines).toContainText("On loan");
  await expect(lines).toContainText("Scanned already");
  await expect(lines).toContainText("Unknown");
  await page.getByRole("button", { name: "What it comes to" }).click();
  await expect(page.getByRole("region", { name: "Not where it should be" })).toContainText("Out of order");
  const missing = page.getByRole("table", { name: "Not seen" });
  const row = missing.getByRole("row").filter({ hasText: unseen });
  await row.getByRole("checkbox").check();
  await page.getByRole("button", { name: "1 count as missing when it is finished" }).click();
  await page.getByRole("button", { name: "Finish; 1 are missing" }).click();
  await expect(page.getByText(/finished/).first()).toBeVisible();
  await go(page, "Items");
  await tab(page, "Looked for");
  const sought = page.getByRole("table", { name: "Looked for" }).getByRole("row").filter({ hasText: unseen });
  await expect(sought).toContainText("nobody yet");
  await sought.getByRole("link").click();
  const look = page.getByRole("form", { name: "One more look" });
  await look.getByLabel("I looked here").fill("the trolley");
  await look.getByRole("button", { name: "Write it down" }).click();
  await expect(page.getByRole("region", { name: "Who looked where" })).toContainText("the trolley");
  await look.getByLabel("I looked here").fill("two shelves on");
  await look.getByLabel("and found it").check();
  await look.getByRole("button", { name: "Write it down" }).click();
  await expect(page.getByRole("region", { name: "This copy" })).not.toContainText("Missing");
  expect(await ask("SELECT standing FROM items WHERE barcode = $1", unseen)).toBe("in_use");
});

test("everything on loan is narrowed and taken away as a file; an item's record is changed, and two at once do not undo each other", async ({
  page,
  browser,
}) => {
  await signIn(page, "Jory Tamm");
  await go(page, "Items");
  await tab(page, "On loan now");
  const lent = page.getByRole("table", { name: "On loan now" });
  await expect(lent.getByRole("link").first()).toBeVisible();
  await page.getByLabel("Lent at").selectOption({ label: "Skarrin" });
  await expect(lent.getByRole("row").filter({ hasText: "Skarrin" }).first()).toBeVisible();
  await expect(lent.getByRole("row").filter({ hasText: "Havenhead Havenhead" })).toHaveCount(0);
  const number = await freeItem("SLM", "book");
  const other = await (await browser.newContext()).newPage();
  await signIn(other, "Bea Lindgard");
  await workAt(other, "Saltmere"); // where each hears at once of what the other has done
  for (const p of [page, other]) {
    await scan(p, number);
    await expect(p.getByRole("form", { name: "On record" })).toBeVisible();
  }
  const record = page.getByRole("form", { name: "On record" });
  await record.getByLabel("Lent from age").fill("14");
  await record.getByLabel("Parts", { exact: true }).fill("2");
  await other.getByRole("form", { name: "On record" }).getByLabel("Condition").fill("worn");
  await record.getByRole("button", { name: "Keep the record" }).click();
  await expect(page.getByRole("region", { name: "Its terms" })).toContainText("its own");
  const theirs = other.getByRole("form", { name: "On record" });
  await expect(theirs).toContainText("Somebody has changed this record since");
  await expect(theirs.getByLabel("Condition")).toHaveValue("worn"); // what is typed stays
  await theirs.getByRole("button", { name: "Keep the record" }).click();
  await expect(other.getByRole("form", { name: "On record" })).toContainText(/changed this item meanwhile/);
  await theirs.getByRole("button", { name: "Begin again from that" }).click();
  await expect(theirs.getByLabel("Parts", { exact: true })).toHaveValue("2");
  await theirs.getByLabel("Condition").fill("worn");
  await theirs.getByRole("button", { name: "Keep the record" }).click();
  await expect(other.getByRole("region", { name: "This copy" })).toContainText("worn");
  await page.getByRole("button", { name: "Out of the stock" }).click();
  await expect(page.getByRole("region", { name: "How it stands" })).toContainText(
    "Say why it is taken out of the stock.",
  );
  await page.getByRole("button", { name: "Worn out: buy again" }).click();
  await expect(page.getByRole("region", { name: "This copy" })).toContainText("Worn out, to be bought again");
  await page.getByRole("button", { name: "Back in use" }).click();
  await expect(page.getByRole("region", { name: "This copy" })).toContainText("On the shelf at Saltmere");
  await other.close();
});

test("Enter takes the beginning of the call number; the ISBN that is asked for is the one in the field", async ({
  page,
}) => {
  await signIn(page, "Maren Odell");
  await page.goto("/items?tab=many");
  const begins = await ask("SELECT left(call_number, 3) FROM items WHERE length(call_number) > 5 ORDER BY id LIMIT 1");
  await page.getByLabel("Call number begins").fill(begins);
  await page.getByLabel("Call number begins").press("Enter");
  const rows = page.getByRole("table", { name: "Items" }).getByRole("row");
  await expect(rows.nth(1)).toContainText(begins);
  const [one, two] = ["9780306406157", "9783161484100"]; // the examples of ISBN in use since they have 13 digits, from memory
  await page.goto(`/items?tab=add&isbn=${one}`);
  await page.getByLabel("ISBN").first().fill(two);
  const asked = page.waitForRequest((r) => r.url().includes(`/api/records?isbn=${two}`));
  await page.getByRole("button", { name: "Ask for its record" }).click();
  await asked;
});

test("who administrates takes everything out as files; nobody else is offered that", async ({ page }) => {
  await signIn(page, "Maren Odell");
  await go(page, "Network");
  await expect(page.getByRole("button", { name: "Moving out", exact: true })).toHaveCount(0);
  await signIn(page, "Ada Pellam");
  await go(page, "Network");
  await tab(page, "Moving out");
  const coming = page.waitForEvent("download");
  await page.getByRole("link", { name: /^Titles with their copies/ }).click();
  const file = await coming;
  expect(file.suggestedFilename()).toBe("titles.mrc");
  const path = await file.path();
  expect((await readFile(path)).subarray(0, 5).toString()).toMatch(/^\d{5}$/);
  await readsWell(page, "what is taken out");
});

test("axe-core finds nothing in the place of items", async ({ page }) => {
  await signIn(page, "Maren Odell");
  const item = await ask("SELECT id::text FROM items WHERE standing = 'missing' ORDER BY id LIMIT 1");
  const title = await ask("SELECT title_id::text FROM items ORDER BY id LIMIT 1");
  for (const path of [
    "/items?words=tide",
    "/items?tab=add&isbn=9799970000011",
    "/items?tab=many",
    "/items?tab=shelves",
    "/items?tab=sought",
    "/items?tab=lent",
    "/items?tab=done",
    `/items?item=${item}`,
    `/items?title=${title}`,
  ]) {
    await page.goto(path);
    await expect(page.getByRole("heading", { level: 1 })).toBeVisible();
    await readsWell(page, path);
  }
});
