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

/** The stock: a book on the shelf in minutes, many things changed at once, a shelf walked along, what is searched. */

test("a book is added by its ISBN: its record and picture come, copies get their labels, and it can be lent", async ({
  page,
}) => {
  await signIn(page, "Jory Tamm");
  await workAt(page, "Havenhead");
  await go(page, "Items");
  await tab(page, "Add");
  await scan(page, "9799970000011");
  const known = page.getByRole("region", { name: "Record found" });
  await expect(known).toContainText("The tide table reader");
  await expect(known).toContainText("Lantern & Oar");
  await known.getByRole("button", { name: "Use this record" }).click();
  const form = page.getByRole("form", { name: "New title" });
  await expect(form.getByLabel("Author")).toHaveValue("Roswen Quist");
  await form.getByLabel("Subjects, separated by semicolons").fill("Tides; Tables");
  await form.getByRole("button", { name: "Add title" }).dblclick();
  const copies = page.getByRole("form", { name: "Add copies" });
  await expect(copies.getByLabel("Material class")).toHaveValue("book");
  await expect(copies.getByLabel("Collection")).not.toHaveValue(""); // where books stand most
  await copies.getByLabel("Collection").selectOption("");
  await copies.getByRole("button", { name: "Add", exact: true }).click();
  await expect(copies.getByText("Choose a collection.")).toBeVisible();
  await copies.getByLabel("Collection").selectOption({ label: "Non-fiction" });
  await copies.getByLabel("Call number").fill("532 QUI");
  await copies.getByLabel("Price").fill("24.50");
  await copies.getByLabel("Number of copies").fill("3");
  const taken = await freeItem("HVH", "book");
  await copies.getByLabel(/^Labels/).fill(taken);
  await copies.getByRole("button", { name: "Add", exact: true }).click();
  await expect(copies.getByRole("alert")).toContainText("is already used");
  await copies.getByLabel(/^Labels/).fill("");
  await copies.getByRole("button", { name: "Add", exact: true }).click();
  const added = page.getByRole("region", { name: "Add copies" }).getByRole("status");
  await expect(added).toContainText("3 copies added");
  const address = await added.getByRole("link", { name: "Open 3 labels as PDF" }).getAttribute("href");
  const pdf = await page.request.get(address ?? "");
  expect(pdf.headers()["content-type"]).toBe("application/pdf");
  expect((await pdf.body()).subarray(0, 5).toString()).toBe("%PDF-");
  await added.getByRole("button", { name: "Mark as printed" }).click();
  expect(await ask("SELECT count(*) FROM titles WHERE isbn = '9799970000011'")).toBe("1");

  // Further copies, whose labels are scanned without a pause: one of them is in use, one is a card.
  const fresh = ["3184600990001", "3184600990002"].map((n) => n + luhn(n));
  for (const text of [fresh[0] ?? "", taken, fresh[1] ?? "", await goodCard("HVH")]) await scan(page, text);
  const scanned = page.getByRole("list", { name: "Labels scanned" });
  await expect(scanned.getByRole("listitem")).toHaveCount(4);
  await expect(scanned).toContainText("This label is already used.");
  await expect(scanned).toContainText("This is not a label.");
  await expect(copies.getByLabel("Call number")).toHaveValue("532 QUI"); // what is alike stays
  await copies.getByRole("button", { name: "Add", exact: true }).click();
  await expect(added).toContainText("2 copies added");
  await expect(added).toContainText(fresh[1] ?? "");

  // The number is known here from now on, and the picture has come.
  await expect(page.getByText("5 copies, 5 on the shelf")).toBeVisible();
  await expect(page.getByRole("region", { name: "Details" }).locator("img")).toBeVisible({
    timeout: 15_000,
  });
  await go(page, "Items");
  await tab(page, "Add");
  await scan(page, "979-9970-0000-1-1".replaceAll("-", ""));
  await expect(page.getByText("Already in the catalogue")).toBeVisible();

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
    await page.getByRole("button", { name: "Get record" }).click();
  };
  await asking("9799970000019");
  await expect(page.getByRole("alert")).toContainText("the check digit is wrong");
  await asking(await isbnOf("Somebody else's book"));
  const known = page.getByRole("region", { name: "Record found" });
  await expect(known).toContainText("Different ISBN");
  await expect(known).toContainText("may be another title");
  await asking(await isbnOf("The slow ferry"));
  await expect(known).toContainText("did not answer within 6 seconds", { timeout: 12_000 });
  await page.getByRole("button", { name: "Enter by hand" }).click();
  const form = page.getByRole("form", { name: "New title" });
  await form.getByRole("button", { name: "Add title" }).click();
  await expect(form.getByText("Enter a title.")).toBeVisible();
  await form.getByLabel("Title", { exact: true }).fill("Ropewalk");
  await form.getByLabel("ISBN", { exact: true }).fill("0306406153");
  await form.getByRole("button", { name: "Add title" }).click();
  await expect(form.getByRole("alert")).toContainText("the check digit is wrong");
  await form.getByLabel("ISBN", { exact: true }).fill("0-306-40615-2");
  await form.getByRole("button", { name: "Add title" }).click();
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
  await expect(page.getByRole("button", { name: "Batch changes" })).toHaveCount(0);
  await scan(page, "31846999999997"); // of nothing here: it is said where scans are told
  await expect(page.getByRole("alert")).toContainText("no item here has it");
  await page.getByRole("alert").getByRole("button").last().click();
  const field = page.getByLabel(/^Title, author/);
  await field.fill("tdie tabels");
  await page.getByRole("button", { name: "tide tables" }).click();
  const rows = page.getByRole("table", { name: "Titles" }).getByRole("row");
  await expect(rows.nth(1)).toContainText("Tide Tables");
  await expect(field).toHaveValue("tide tables");
  await page.getByLabel("Year from", { exact: true }).fill("2015");
  await expect(page).toHaveURL(/from=2015/);
  await expect(rows.nth(1)).toContainText(/20[12]\d/);
  await rows.nth(1).getByRole("link").click();
  await expect(page.getByRole("table", { name: "Copies" })).toBeVisible();
  await page.getByRole("table", { name: "Copies" }).getByRole("link").first().click();
  await expect(page.getByRole("region", { name: "Loan terms" })).toContainText("it would be due");
  await page.getByRole("region", { name: "Loan terms" }).getByRole("button", { name: "Why" }).first().click();
  await expect(page.getByRole("dialog")).toContainText("Classed as");
  await expect(page.getByRole("button", { name: "Withdrawn" })).toHaveCount(0);
});

test("a pile goes to another branch for a season, looked at first, and is undone; the record of one says so", async ({
  page,
}) => {
  await signIn(page, "Maren Odell");
  await go(page, "Items");
  await tab(page, "Batch changes");
  const items = [await freeItem("HVH", "book"), await freeItem("HVH", "film")];
  await scan(page, items[0] ?? "");
  await scan(page, items[1] ?? "");
  await scan(page, await goodCard("HVH"));
  const pile = page.getByRole("region", { name: "Scanned items" });
  await expect(pile).toContainText("2 items scanned");
  await expect(pile).toContainText("This is not an item label.");
  await pile.getByRole("button", { name: "Change scanned items" }).click();
  const form = page.getByRole("region", { name: "Batch change" });
  await form.getByLabel("Home branch").selectOption({ label: "Thistle Bay" });
  await form
    .getByLabel("until (temporary)")
    .fill(
      await ask("SELECT (shows + (clock_timestamp() - real_at) + interval '90 days')::date::text FROM training_clock"),
    );
  await form.getByRole("button", { name: "Preview" }).click();
  await expect(form).toContainText("2 would be changed");
  await form.getByRole("button", { name: "Apply" }).dblclick();
  await expect(form.getByRole("status")).toContainText("2 changed");
  await go(page, "Items");
  await tab(page, "Activity");
  const deed = page.getByRole("table", { name: "Activity" }).getByRole("row").nth(1);
  await expect(deed).toContainText("Belongs to Thistle Bay until");
  await deed.getByRole("button", { name: "2" }).click();
  await expect(page.getByRole("table", { name: "Its items" })).toContainText("then to Havenhead");
  await deed.getByRole("button", { name: "Undo" }).click();
  await expect(deed).toContainText("undone");
  expect(
    await ask(
      "SELECT count(*) FROM items WHERE barcode = ANY($1) AND branch_code = 'HVH' AND home_until IS NULL",
      items,
    ),
  ).toBe("2");
});

test("a shelf is scanned without a pause: out of order, on loan and unknown are said, the unseen is missing, searched and found", async ({
  page,
}) => {
  await signIn(page, "Jory Tamm");
  await workAt(page, "Saltmere");
  await go(page, "Items");
  await tab(page, "Shelf check");
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
  const form = page.getByRole("form", { name: "Start a shelf check" });
  await form.getByRole("button", { name: "Start" }).click();
  await expect(form.getByText("Enter which shelves these are.")).toBeVisible();
  await form.getByLabel("Shelves").fill("Harbour side");
  await form.getByLabel("Collection").selectOption({ label: collection });
  await form.getByRole("button", { name: "Start" }).click();
  await expect(page.getByRole("heading", { name: "Harbour side" })).toBeVisible();
  for (const number of [a, e, b, c, lent, a, "31846999999997", d]) await scan(page, number);
  const lines = page.getByRole("region", { name: "Scans of this shelf check" });
  await expect(lines.getByRole("listitem")).toHaveCount(8, { timeout: 15_000 });
  await expect(lines).toContainText("On loan");
  await expect(lines).toContainText("Already scanned");
  await expect(lines).toContainText("Unknown");
  await page.getByRole("button", { name: "Result" }).click();
  await expect(page.getByRole("region", { name: "Misplaced" })).toContainText("Out of order");
  const missing = page.getByRole("table", { name: "Not scanned" });
  const row = missing.getByRole("row").filter({ hasText: unseen });
  await row.getByRole("checkbox").check();
  await page.getByRole("button", { name: "1 will be marked missing" }).click();
  await page.getByRole("button", { name: "Finish and mark 1 missing" }).click();
  await expect(page.getByText(/finished/).first()).toBeVisible();
  await go(page, "Items");
  await tab(page, "Missing items");
  const sought = page.getByRole("table", { name: "Missing items" }).getByRole("row").filter({ hasText: unseen });
  await expect(sought).toContainText("none yet");
  await sought.getByRole("link").click();
  const look = page.getByRole("form", { name: "Add a search" });
  await look.getByLabel("Where you looked").fill("the trolley");
  await look.getByRole("button", { name: "Save" }).click();
  await expect(page.getByRole("region", { name: "Search log" })).toContainText("the trolley");
  await look.getByLabel("Where you looked").fill("two shelves on");
  await look.getByLabel("Found").check();
  await look.getByRole("button", { name: "Save" }).click();
  await expect(page.getByRole("region", { name: "Copy" })).not.toContainText("Missing");
  expect(await ask("SELECT standing FROM items WHERE barcode = $1", unseen)).toBe("in_use");
});

test("everything on loan is narrowed and removed as a file; an item's record is changed, and two at once do not undo each other", async ({
  page,
  browser,
}) => {
  await signIn(page, "Jory Tamm");
  await go(page, "Items");
  await tab(page, "On loan");
  const lent = page.getByRole("table", { name: "On loan" });
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
    await expect(p.getByRole("form", { name: "Record" })).toBeVisible();
  }
  const record = page.getByRole("form", { name: "Record" });
  await record.getByLabel("Minimum age").fill("14");
  await record.getByLabel("Number of parts", { exact: true }).fill("2");
  await other.getByRole("form", { name: "Record" }).getByLabel("Condition").fill("worn");
  await record.getByRole("button", { name: "Save record" }).click();
  await expect(page.getByRole("region", { name: "Loan terms" })).toContainText("set on this item");
  const theirs = other.getByRole("form", { name: "Record" });
  await expect(theirs).toContainText("Somebody changed this record after");
  await expect(theirs.getByLabel("Condition")).toHaveValue("worn"); // what is typed stays
  await theirs.getByRole("button", { name: "Save record" }).click();
  await expect(other.getByRole("form", { name: "Record" })).toContainText(/changed this item meanwhile/);
  await theirs.getByRole("button", { name: "Start again from there" }).click();
  await expect(theirs.getByLabel("Number of parts", { exact: true })).toHaveValue("2");
  await theirs.getByLabel("Condition").fill("worn");
  await theirs.getByRole("button", { name: "Save record" }).click();
  await expect(other.getByRole("region", { name: "Copy" })).toContainText("worn");
  await page.getByRole("button", { name: "Withdrawn" }).click();
  await expect(page.getByRole("region", { name: "Status" })).toContainText("Enter a reason to withdraw it.");
  await page.getByRole("button", { name: "To replace" }).click();
  await expect(page.getByRole("region", { name: "Copy" })).toContainText("Worn out, to replace");
  await page.getByRole("button", { name: "In use" }).click();
  await expect(page.getByRole("region", { name: "Copy" })).toContainText("On the shelf at Saltmere");
  await other.close();
});

test("Enter takes the beginning of the call number; the ISBN that is asked for is the one in the field", async ({
  page,
}) => {
  await signIn(page, "Maren Odell");
  await page.goto("/items?tab=many");
  const begins = await ask("SELECT left(call_number, 3) FROM items WHERE length(call_number) > 5 ORDER BY id LIMIT 1");
  await page.getByLabel("Call number starts with").fill(begins);
  await page.getByLabel("Call number starts with").press("Enter");
  const rows = page.getByRole("table", { name: "Items" }).getByRole("row");
  await expect(rows.nth(1)).toContainText(begins);
  const [one, two] = ["9780306406157", "9783161484100"]; // the examples of ISBN in use since they have 13 digits, from memory
  await page.goto(`/items?tab=add&isbn=${one}`);
  await page.getByLabel("ISBN").first().fill(two);
  const asked = page.waitForRequest((r) => r.url().includes(`/api/records?isbn=${two}`));
  await page.getByRole("button", { name: "Get record" }).click();
  await asked;
});

test("who administrates takes everything out as files; none is offered that", async ({ page }) => {
  await signIn(page, "Maren Odell");
  await go(page, "Network");
  await expect(page.getByRole("button", { name: "Export", exact: true })).toHaveCount(0);
  await signIn(page, "Ada Pellam");
  await go(page, "Network");
  await tab(page, "Export");
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
