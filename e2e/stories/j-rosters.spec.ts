import { expect } from "@playwright/test";
import { test } from "../house.ts";
import { ask, freeItem, go, goodCard, readsWell, scan, signIn, tab, tape, workAt } from "../kit.ts";

/** Batch changes, two records that are one person, and people who sign up automatically. */

test("a class is made and filled by scanning; a pupil moves in mid-year; lists in other letters fill more, and it is undone", async ({
  page,
}) => {
  await signIn(page, "Jory Tamm");
  await workAt(page, "Havenhead");
  await go(page, "Rosters");
  await page.getByRole("button", { name: "Add roster" }).click();
  const form = page.getByRole("form", { name: "Add roster" });
  await form.getByRole("button", { name: "Save" }).click();
  await expect(form.getByText("Enter a name, such as 5b.")).toBeVisible();
  await form.getByLabel("Name", { exact: true }).fill("5c");
  await form.getByLabel("School", { exact: true }).fill("Quay Street School");
  await form.getByLabel("School year").fill("5");
  await form.getByRole("button", { name: "Save" }).click();
  await expect(page.getByRole("heading", { name: "5c" })).toBeVisible();

  // Scanned without a pause: one moves in from another class, one is named by the school's number, one is nobody.
  const [card = "", from = ""] = (
    await ask(
      "SELECT p.card || '|' || r.name FROM roster_members m JOIN patrons p ON p.id = m.patron_id JOIN rosters r ON r.id = m.roster_id WHERE r.kind = 'class' AND r.branch_code = 'HVH' AND r.school_year = '4' ORDER BY p.id LIMIT 1",
    )
  ).split("|");
  const other = await ask(
    "SELECT p.school FROM roster_members m JOIN patrons p ON p.id = m.patron_id WHERE p.school_year = '5' AND p.branch_code = 'HVH' ORDER BY p.id DESC LIMIT 1",
  );
  await scan(page, card);
  await scan(page, other);
  await scan(page, card.slice(0, -1) + ((Number(card.at(-1)) + 1) % 10)); // its check digit is wrong
  await scan(page, card);
  const scanned = page.getByRole("region", { name: "Scanned here" }).getByRole("listitem");
  await expect(scanned).toHaveCount(4);
  await expect(scanned.nth(0)).toContainText("Is in 5c already.");
  await expect(scanned.nth(1)).toContainText("check digit");
  await expect(scanned.nth(3)).toContainText(`Moved from ${from} to 5c.`);
  await expect(page.getByText(/2 members/)).toBeVisible();
  await scanned.nth(3).getByRole("button", { name: "Undo" }).click();
  await expect(page.getByText(/1 member/)).toBeVisible();

  // Two files at once, one of them in the letters of an older program.
  await go(page, "Rosters");
  await tab(page, "Import lists");
  await page.getByLabel("School", { exact: true }).fill("Quay Street School");
  await page.getByLabel("School year").fill("5");
  await page.getByLabel(/^Or choose CSV files/).setInputFiles([
    {
      name: "5d.csv",
      mimeType: "text/csv",
      buffer: Buffer.from(`Elève;Number\r\nÉva;${card}\r\nNobody;99\r\n`, "latin1"),
    },
    { name: "5e.csv", mimeType: "text/csv", buffer: Buffer.from(`${other}\n${other}\n`) },
  ]);
  await page.getByRole("button", { name: "Preview" }).click();
  const what = page.getByRole("region", { name: "Import lists" });
  await expect(what).toContainText("letters in Windows-1252, the first line is heads");
  await expect(what.getByRole("listitem").filter({ hasText: "5d" }).last()).toBeVisible();
  await expect(what).toContainText("2 lines with problems");
  await expect(what).toContainText("5d.csv, line 3: 99");
  await expect(what).toContainText("5e.csv, line 2: ");
  await what.getByRole("button", { name: "Apply" }).click();
  await expect(what.getByRole("status")).toContainText("added");
  expect(await ask("SELECT count(*) FROM rosters WHERE name IN ('5d', '5e') AND ended_at IS NULL")).toBe("2");
  await what.getByRole("button", { name: "Undo" }).click();
  await expect(what.getByRole("status")).toBeHidden();
  expect(await ask("SELECT count(*) FROM rosters WHERE name IN ('5d', '5e') AND ended_at IS NULL")).toBe("0");
});

test("a school year ends: classes move up and the last is dissolved, after a look; then it is undone", async ({
  page,
}) => {
  await signIn(page, "Maren Odell");
  await workAt(page, "Lanternfield");
  await go(page, "Rosters");
  const before = await ask(
    "SELECT string_agg(name || ' ' || school_year, ',' ORDER BY id) FROM rosters WHERE branch_code = 'LNF' AND ended_at IS NULL",
  );
  const table = page.getByRole("table", { name: "Rosters" });
  await table.getByRole("checkbox").first().check();
  await page.getByRole("button", { name: /^Move \d+ up a year/ }).click();
  const panel = page.getByRole("region", { name: "Move classes up" });
  const last = await ask("SELECT max(school_year::int) FROM rosters WHERE branch_code = 'LNF'");
  await panel.getByLabel(/^Dissolve classes of school year/).selectOption(last);
  await expect(panel.getByText("dissolved", { exact: true }).first()).toBeVisible();
  await panel.getByRole("button", { name: "Apply" }).click();
  await expect(page.getByRole("status").filter({ hasText: "moved up" })).toBeVisible();
  expect(
    await ask("SELECT count(*) FROM rosters WHERE branch_code = 'LNF' AND ended_at IS NULL AND school_year = $1", last),
  ).not.toBe("0");
  await tab(page, "Activity");
  await page.getByRole("row").filter({ hasText: "Moved up" }).getByRole("button", { name: "Undo" }).click();
  await expect(page.getByRole("row").filter({ hasText: "Moved up" })).toContainText("undone");
  expect(
    await ask(
      "SELECT string_agg(name || ' ' || school_year, ',' ORDER BY id) FROM rosters WHERE branch_code = 'LNF' AND ended_at IS NULL",
    ),
  ).toBe(before);

  // The answers of a year, from a list.
  await tab(page, "Consents");
  const pupil = await ask(
    "SELECT school FROM patrons WHERE branch_code = 'LNF' AND school <> '' AND photo IS NULL ORDER BY id LIMIT 1",
  );
  await page
    .getByRole("region", { name: "Consents" })
    .getByLabel(/^Consent/)
    .selectOption("photo");
  await page.getByLabel(/^Paste a list/).fill(`number;answer\n${pupil};no\n`);
  await page.getByRole("button", { name: "Preview" }).click();
  await expect(page.getByText("1 new, 0 changed, 0 unchanged.")).toBeVisible();
  await expect(page.getByRole("button", { name: "Apply" })).toBeDisabled();
  await page.getByLabel("Source").fill("letters of the school");
  await page.getByRole("button", { name: "Apply" }).click();
  await expect(page.getByRole("status")).toContainText("Every line matches a patron");
  expect(await ask("SELECT photo FROM patrons WHERE school = $1", pupil)).toBe("false");
});

test("two records of one person become one, and two again", async ({ page }) => {
  await signIn(page, "Maren Odell");
  await workAt(page, "Havenhead");
  const kept = await goodCard("HVH");
  const gone = await ask(
    "SELECT card FROM patrons p WHERE branch_code = 'HVH' AND class = 'adult' AND standing = 'active' AND stopped = '' AND card <> $1 AND (SELECT count(*) FROM loans WHERE patron_id = p.id AND returned_at IS NULL) = 0 AND balance = 0 AND household_id IS NULL ORDER BY id LIMIT 1",
    kept,
  ).catch(() => goodCard("SLM"));
  await go(page, "Desk");
  await scan(page, gone);
  await scan(page, await freeItem("HVH", "book"));
  await expect(tape(page).locator("li").first()).toContainText("Lent");
  const name = await ask("SELECT legal_name FROM patrons WHERE card = $1", kept);
  await page.goto(`/patrons?patron=${await ask("SELECT id FROM patrons WHERE card = $1", kept)}`);
  await tab(page, "Record");
  await page.getByRole("button", { name: "Merge a record into this one" }).click();
  await page.getByLabel("Search for the other record").fill(gone);
  await page.getByRole("listbox").getByRole("option").first().click();
  const panel = page.getByRole("region", { name: "Duplicate record" });
  await expect(panel).toContainText("Moved with it: 1 loan.");
  await panel.getByRole("button", { name: /^Merge:/ }).click();
  const merged = page.getByRole("region", { name: "Merged records" });
  await expect(merged).toContainText(gone);
  await tab(page, "Loans and holds");
  await expect(page.getByRole("region", { name: "On loan" }).getByRole("listitem")).toHaveCount(1);

  // The other card leads here.
  await go(page, "Desk");
  await scan(page, gone);
  await expect(page.getByRole("region", { name: "Patron" }).getByRole("heading")).toContainText(
    name.split(" ").at(-1) ?? name,
  );
  await page.goto(`/patrons?patron=${await ask("SELECT id FROM patrons WHERE card = $1", kept)}`);
  await tab(page, "Record");
  await merged.getByRole("button", { name: "Undo merge" }).click();
  await expect(merged).toBeHidden();
  expect(
    await ask(
      "SELECT count(*) FROM loans l JOIN patrons p ON p.id = l.patron_id WHERE p.card = $1 AND l.returned_at IS NULL",
      gone,
    ),
  ).toBe("1");
});

test("somebody signs up automatically, without scripts; until they are looked at their card looks and does not borrow", async ({
  page,
  browser,
}) => {
  const phone = await browser.newContext({ javaScriptEnabled: false, viewport: { width: 390, height: 844 } });
  const outside = await phone.newPage();
  await outside.goto(new URL("/sign-up", process.env.NEVRIN_URL).href);
  await outside.getByLabel("Your name", { exact: false }).fill('<script>alert("x")</script> Isolde Fenn');
  await outside.getByLabel("Email address").fill("isolde at post");
  await outside.getByRole("button", { name: "Sign up" }).click();
  await expect(outside.getByRole("alert")).toContainText("correct the 3 fields");
  await expect(outside.getByLabel("Your name", { exact: false })).toHaveValue(
    '<script>alert("x")</script> Isolde Fenn',
  );
  await outside.getByLabel("Your name", { exact: false }).fill("Isolde Fenn");
  await outside.getByLabel("Email address").fill("isolde@post.example");
  await outside.getByLabel("Street address").fill("8 Rope Walk");
  await outside.getByLabel("Birth date").fill("1988-11-02");
  await outside.getByLabel("Your branch").selectOption({ label: "Havenhead" });
  await outside.getByLabel("4 to 12 digits", { exact: false }).fill("4711");
  await outside.getByLabel("Repeat PIN").fill("4711");
  await outside.getByRole("button", { name: "Sign up" }).click();
  await expect(outside.getByRole("heading", { name: "Thank you" })).toBeVisible();
  await outside.reload(); // sent twice, taken once
  expect(await ask("SELECT count(*) FROM sign_ups WHERE record->>'legal_name' = 'Isolde Fenn'")).toBe("1");
  const card = await ask("SELECT card FROM patrons WHERE legal_name = 'Isolde Fenn'");
  await expect(outside.getByText(card.slice(-4))).toBeVisible();
  await phone.close();

  await signIn(page, "Jory Tamm");
  await workAt(page, "Havenhead");
  await go(page, "Desk");
  await scan(page, card);
  await expect(page.getByRole("alert").filter({ hasText: "Signed up online" })).toBeVisible();
  await go(page, "Patrons");
  await page.getByRole("button", { name: /^Sign-ups \(/ }).click();
  await page.getByRole("link", { name: "Isolde Fenn" }).click();
  const form = page.getByRole("form", { name: "Register somebody" });
  await expect(form.getByLabel(/^Patron class/)).toHaveValue("adult");
  await form.getByLabel("Phone", { exact: true }).fill("902 555 0188");
  await form.getByLabel(/^Card expires/).fill("");
  await form.getByRole("button", { name: "Register", exact: true }).click();
  await expect(page).toHaveURL(/\?patron=/); // the sign-up has her name in its heading too
  await go(page, "Desk");
  await scan(page, card);
  await scan(page, await freeItem("HVH", "book"));
  await expect(tape(page).locator("li").first()).toContainText("Lent");
});

test("who wants to be called is called: a way without its address is not offered", async ({ page }) => {
  await signIn(page, "Jory Tamm");
  await workAt(page, "Havenhead");
  const id = await ask(
    "SELECT id FROM patrons WHERE branch_code = 'HVH' AND phone <> '' AND email <> '' AND class = 'adult' AND standing = 'active' AND address <> '' ORDER BY id DESC LIMIT 1",
  );
  await page.goto(`/patrons?patron=${id}`);
  const told = page.getByRole("region", { name: "Notify by", exact: true });
  await tab(page, "Notices and consents");
  await told.getByRole("button", { name: "Edit" }).click();
  await told.getByLabel("Ready holds").selectOption("phone");
  await told.getByRole("button", { name: "Save" }).click();
  await expect(told.getByRole("form")).toHaveCount(0); // saved: only then it closes
  await expect(told).toContainText("by phone");
  await page.getByRole("button", { name: "Edit record" }).click();
  const form = page.getByRole("form", { name: "Record" });
  await form.getByLabel("Phone", { exact: true }).fill("");
  await form.getByRole("button", { name: "Save", exact: true }).click();
  await expect(form.getByRole("alert")).toContainText("Notices are sent there. Choose another way first");
  await form.getByRole("button", { name: "Cancel" }).click();

  // A hold that is ready for them waits for whoever calls.
  const item = await freeItem("HVH", "book");
  const title = await ask("SELECT t.name FROM titles t JOIN items i ON i.title_id = t.id WHERE i.barcode = $1", item);
  await ask(
    "INSERT INTO holds (title_id, patron_id, pickup, placed_at, place) SELECT title_id, $2::bigint, 'HVH', now(), 1 FROM items WHERE barcode = $1 RETURNING id",
    item,
    id,
  );
  await go(page, "Returns");
  await scan(page, item);
  await expect(page.getByText("Hold shelf").first()).toBeVisible();
  await go(page, "Notices");
  await tab(page, "Calls");
  const row = page.getByRole("row").filter({ hasText: title });
  await row.getByRole("button", { name: "Call", exact: true }).click();
  const call = page.getByRole("region", { name: /^Call / });
  await expect(call).toContainText("at Havenhead until");
  await call.getByRole("button", { name: "Call again later" }).click();
  await call.getByRole("button", { name: "Save" }).click();
  await expect(call).toContainText("Enter a date and a time.");
  await call.getByLabel("Call again at", { exact: true }).fill("2026-10-08");
  await call.getByLabel("Call again at, time").fill("17:30");
  await call.getByLabel("Note").fill("At work until five");
  await call.getByRole("button", { name: "Save" }).click();
  await expect(row).toContainText(/1 call, last: To call again: At work until five \(.*17:30\)/);
  await row.getByRole("button", { name: "Reached", exact: true }).click();
  await expect(row).toBeHidden();
  await page.getByRole("status").getByRole("button", { name: "Undo" }).click();
  await expect(row).toBeVisible();
});

test("what somebody says of a loan is written down and counted; a due date is set by hand by who may", async ({
  page,
}) => {
  await signIn(page, "Maren Odell");
  await workAt(page, "Havenhead");
  const card = await goodCard("HVH");
  await go(page, "Desk");
  await scan(page, card);
  await scan(page, await freeItem("HVH", "book"));
  await expect(tape(page).locator("li").first()).toContainText("Lent");
  await page.goto(`/patrons?patron=${await ask("SELECT id FROM patrons WHERE card = $1", card)}`);
  const loans = page.getByRole("region", { name: "On loan" });
  const more = async (name: string) => {
    await loans.getByRole("button", { name: /^More: / }).press("Enter");
    await page.getByRole("menuitem", { name }).press("Enter");
  };
  await more("Claims returned");
  await expect(loans.getByText(/^Claims returned, /)).toBeVisible();
  const patron = page.getByRole("region", { name: "Patron", exact: true });
  await expect(patron).toContainText("returned: 1");
  await more("Withdraw claim");
  await expect(patron).not.toContainText("returned:");
  await more("Set due date");
  // Other stories move the clock on: a Sunday to come, and a Thursday, on which no holiday falls.
  const [sunday = "", thursday = ""] = (
    await ask(
      "SELECT (d + 7 - w) || ' ' || (d + 28 + (11 - w) % 7) FROM (SELECT shows::date AS d, extract(dow FROM shows)::int AS w FROM training_clock) c",
    )
  ).split(" ");
  await loans.getByLabel("Due", { exact: true }).fill(sunday);
  await loans.getByLabel("Reason").fill("goes on holiday");
  await loans.getByRole("button", { name: "Save due date" }).click();
  await expect(loans.getByRole("alert")).toContainText(/^Havenhead is closed on Sun .* It next opens on /);
  await loans.getByLabel("Due", { exact: true }).fill(thursday);
  await loans.getByRole("button", { name: "Save due date" }).click();
  await expect(loans).toContainText(/Due Thu /);
});

test("axe-core finds nothing in rosters, sign-ups, merging, and on the page on which people sign up", async ({
  page,
}) => {
  await signIn(page, "Maren Odell");
  for (const [what, path] of [
    ["rosters", "/rosters"],
    ["lists", "/rosters?tab=lists"],
    ["answers", "/rosters?tab=answers"],
    ["deeds", "/rosters?tab=done"],
    ["one roster", `/rosters?roster=${await ask("SELECT min(id) FROM rosters WHERE kind = 'club'")}`],
    ["sign-ups", "/patrons?tab=sign-ups"],
    ["a sign-up", `/patrons?signup=${await ask("SELECT min(id) FROM sign_ups WHERE state = 'waiting'")}`],
  ] as const) {
    await page.goto(path);
    await expect(page.getByRole("heading", { level: 1 }).first()).toBeVisible();
    await readsWell(page, what);
  }
  await page.goto(`/patrons?patron=${await ask("SELECT id FROM patrons WHERE card = $1", await goodCard("HVH"))}`);
  await tab(page, "Record");
  await page.getByRole("button", { name: "Merge a record into this one" }).click();
  await readsWell(page, "a patron, merging");
  await tab(page, "Notices and consents");
  await page.getByRole("region", { name: "Notify by", exact: true }).getByRole("button", { name: "Edit" }).click();
  await readsWell(page, "a patron, told");
  for (const part of ["Account", "History"]) {
    await tab(page, part);
    await readsWell(page, `a patron, ${part}`);
  }
  await page.goto("/sign-up");
  await page.getByRole("button", { name: "Sign up" }).click();
  await expect(page.getByRole("alert")).toBeVisible();
  await readsWell(page, "signing up, with something wrong");
});
