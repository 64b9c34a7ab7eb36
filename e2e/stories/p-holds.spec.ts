import { expect } from "@playwright/test";
import { test } from "../house.ts";
import { ask, copyAt, freePort, go, goodCard, keepingAddresses, readsWell, scan, signIn, tab, workAt } from "../kit";

const region = (page: import("@playwright/test").Page, name: string) => page.getByRole("region", { name });

test("a queue over time: placed, moved with a reason, changed, cancelled and undone", async ({ page }) => {
  const title = await ask(
    "SELECT title_id FROM holds WHERE state = 'waiting' GROUP BY 1 HAVING count(*) BETWEEN 5 AND 9 ORDER BY 1 LIMIT 1",
  );
  const card = await goodCard("HVH");
  await signIn(page, "Maren Odell");
  await page.goto(`/holds?title=${title}`);
  await expect(page.getByRole("img", { name: /^The queue of .* over time. The first: Likely/ })).toBeVisible();
  const queue = page.getByRole("table", { name: "The queue" });
  await expect(queue.getByRole("row").nth(4)).toBeVisible();
  const before = await queue.getByRole("row").count();

  // Placed by scanning a card into the field, with a last day.
  const form = page.getByRole("form", { name: "Place a hold" });
  await form.getByPlaceholder("Name, or scan a card").fill(card);
  await page.getByRole("option").first().click();
  await page.getByRole("button", { name: "More options: edition or item, dates, several patrons" }).click();
  await form.getByLabel("Needed until").fill("2027-06-30");
  await form.getByRole("button", { name: "Place hold" }).click();
  const said = page.getByRole("status").filter({ hasText: "Placed" });
  await expect(said).toBeVisible();
  await said.getByRole("button", { name: "Undo" }).click();
  await expect(said).toHaveCount(0);
  await expect(queue.getByRole("row")).toHaveCount(before);
  await page.getByRole("list", { name: "Recently cancelled" }).getByRole("button", { name: "Undo" }).click();
  await expect(said).toBeVisible();
  await expect(queue.getByRole("row")).toHaveCount(before + 1);
  const mine = queue.getByRole("row").filter({ hasText: "Needed until Wed 30 Jun 2027" });
  await expect(mine).toContainText("Waiting");

  // Moved to the head, with a reason that is kept.
  await mine.getByRole("button", { name: "Move" }).click();
  const move = page.getByRole("form", { name: /^Move the hold of/ });
  // Effect to the others is told before it counts.
  const does = move.getByRole("region", { name: "Effect of the move" });
  await expect(does.getByRole("listitem").first()).toContainText("becomes 1");
  await expect(does.getByRole("listitem").nth(1)).toContainText("number 1 becomes 2");
  await move.getByLabel("Position").selectOption({ label: "last" });
  await expect(does).toContainText("Nothing changes: it is already there.");
  await move.getByLabel("Position").selectOption({ index: 0 });
  await move.getByRole("button", { name: "Move hold" }).click();
  await expect(move).toContainText("Enter a reason; it is kept.");
  await move.getByLabel("Reason").fill("An exam on Friday");
  await move.getByRole("button", { name: "Move hold" }).click();
  await expect(mine.getByRole("cell").first()).toHaveText("1");
  const others = page.getByRole("list", { name: "Recently changed" });
  await others.getByRole("listitem").filter({ hasText: "Moved:" }).getByRole("button", { name: "Undo" }).click();
  await expect(mine.getByRole("cell").first()).not.toHaveText("1");
  await expect(others).toHaveCount(0);
  await mine.getByRole("button", { name: "Move" }).click();
  await move.getByLabel("Reason").fill("An exam on Friday");
  await move.getByRole("button", { name: "Move hold" }).click();
  await expect(mine.getByRole("cell").first()).toHaveText("1");

  await expect(mine).toContainText(/Moved by .+: An exam on Friday/);

  // Paused it keeps that place; cancelled it is gone, and comes back to it.
  await mine.getByRole("button", { name: "Edit" }).click();
  const change = page.getByRole("form", { name: /^Edit the hold on/ });
  await change.getByLabel(/^Paused until/).fill("2026-11-20");
  await change.getByRole("button", { name: "Save hold" }).click();
  await expect(mine).toContainText("Paused");
  await others.getByRole("listitem").filter({ hasText: "Saved:" }).getByRole("button", { name: "Undo" }).click();
  await expect(mine).not.toContainText("Paused");
  await mine.getByRole("button", { name: "Edit" }).click();
  await change.getByLabel(/^Paused until/).fill("2026-11-20");
  await change.getByRole("button", { name: "Save hold" }).click();
  await expect(mine).toContainText("Paused");
  await mine.getByRole("button", { name: "Cancel" }).click();
  await mine.getByLabel("Reason").fill("No longer wanted");
  await mine.getByRole("button", { name: "Cancel hold" }).click();
  await expect(queue.getByRole("row")).toHaveCount(before);
  await page.getByRole("list", { name: "Recently cancelled" }).getByRole("button", { name: "Undo" }).click();
  await expect(queue.getByRole("row")).toHaveCount(before + 1);
  await expect(mine.getByRole("cell").first()).toHaveText("1");
});

test("two people share a fetch list: one goes, nothing there, the next copy at once, and found after all", async ({
  page,
  browser,
}) => {
  const other = await (await browser.newContext()).newPage();
  for (const [p, name] of [
    [page, "Jory Tamm"],
    [other, "Maren Odell"],
  ] as const) {
    await signIn(p, name);
    if (p === other) await workAt(p, "Saltmere");
    await p.goto("/fetch");
  }
  const number = await ask(
    `SELECT i.barcode FROM holds h JOIN items i ON i.id = h.item_id WHERE h.fetch_at = 'SLM' AND h.pickup <> 'SLM'
       AND NOT EXISTS (SELECT 1 FROM holds o WHERE o.title_id = h.title_id AND o.id <> h.id AND o.closed_at IS NULL)
     ORDER BY h.id LIMIT 1`,
  );
  const row = page.getByRole("row").filter({ hasText: number });
  await expect(row).toBeVisible();
  await row.getByRole("button", { name: "I’m getting it" }).click();
  await expect(other.getByRole("row").filter({ hasText: number })).toContainText("Jory Tamm is getting it");

  await row.getByRole("button", { name: "Not found" }).click();
  const gone = page.getByRole("list", { name: "Not found" }).getByRole("listitem");
  await expect(gone).toContainText(/is used instead|Waiting for another copy/);
  await expect(row).toHaveCount(0);
  await expect(other.getByRole("row").filter({ hasText: number })).toHaveCount(0);
  await gone.getByRole("button", { name: "Found after all" }).click();
  await expect(row).toBeVisible();

  // A tap says where it goes as a scan does, and the line leaves both windows.
  await row.getByRole("button", { name: "Found", exact: true }).click();
  await expect(page.getByRole("region", { name: "Scanned here" })).toContainText("Into the tote for");
  await expect(row).toHaveCount(0);
  await expect(other.getByRole("row").filter({ hasText: number })).toHaveCount(0);
  await other.context().close();
});

test("a full fetch list: the work of the round is looked at, shared among branches, and undone", async ({
  page,
  browser,
}) => {
  const admin = await (await browser.newContext()).newPage();
  await signIn(admin, "Ada Pellam");
  await go(admin, "Network");
  await tab(admin, "Settings");
  await admin.getByRole("searchbox", { name: "Search settings" }).fill("fetch per round");
  await expect(admin.getByRole("status").filter({ hasText: "1 section found" })).toBeVisible();
  await admin.getByRole("region", { name: "Holds and transit" }).getByLabel("Havenhead", { exact: true }).fill("10");
  await admin.getByRole("button", { name: "Save holds and transit" }).click();
  await expect.poll(() => ask("SELECT coalesce(settings->'holds'->'fetch_most'->>'HVH', '') FROM network")).toBe("10");
  await admin.context().close();

  const lines = () => ask("SELECT count(*) FROM holds WHERE state = 'fetching' AND fetch_at = 'HVH'");
  const before = Number(await lines());
  await signIn(page, "Maren Odell");
  await page.goto("/fetch");
  const full = page.getByRole("region", { name: "Full fetch lists" });
  await expect(full).toContainText(`Havenhead ${before} to fetch, can fetch 10 per round`);
  await full.getByRole("button", { name: "Share the work" }).click();
  const shared = full.getByRole("region", { name: "Work shared" });
  await expect(shared).toContainText(
    /Total wait: .* instead of .*Havenhead would have \d+ to fetch, \d+ of them in the next round\./,
  );
  const after = Number((await shared.textContent())?.match(/Havenhead would have (\d+)/)?.[1]);
  await expect(shared.getByRole("table", { name: "Items that would move" }).getByRole("row").nth(1)).toBeVisible();
  expect(Number(await lines())).toBe(before);
  await full.getByRole("button", { name: "Apply" }).click();
  await expect(full.getByRole("status")).toContainText("moved or promised for later");
  expect(Number(await lines())).toBe(after);
  await expect(full).toContainText(`Havenhead ${after} to fetch`);
  await full.getByRole("status").getByRole("button", { name: "Undo" }).click();
  await expect(full.getByRole("status")).toContainText("Undone:");
  expect(Number(await lines())).toBe(before);
});

test("holds that nothing can fill: listed with why, here or everywhere, cancelled and undone", async ({ page }) => {
  await signIn(page, "Maren Odell");
  await page.goto("/holds?tab=stuck");
  const rows = page.getByRole("table", { name: "No copy available" }).getByRole("row");
  await expect(rows.nth(1)).toContainText("All copies are missing, lost or set aside");
  const all = await rows.count();
  await rows.nth(1).getByRole("button", { name: "Why" }).click();
  await expect(page.getByRole("dialog")).toContainText("request one from a partner");
  await page.keyboard.press("Escape");
  await page.getByLabel("All branches").uncheck();
  await expect.poll(() => rows.count()).toBeLessThan(all);
  await page.getByLabel("All branches").check();
  await expect(rows).toHaveCount(all);
  await rows.nth(1).getByRole("button", { name: "Cancel" }).click();
  await rows.nth(1).getByLabel("Reason").fill("Interlibrary request");
  await rows.nth(1).getByRole("button", { name: "Cancel hold" }).click();
  await expect(rows).toHaveCount(all - 1);
  await page.getByRole("list", { name: "Recently cancelled" }).getByRole("button", { name: "Undo" }).click();
  await expect(rows).toHaveCount(all);
  await rows.nth(1).getByRole("link", { name: "Request from a partner" }).click();
  await expect(page.getByRole("region", { name: "Request from a partner" })).toBeVisible();
});

test("the hold shelf: slots, kept longer, called, and what stands there for nobody is cleared by scanning", async ({
  page,
}) => {
  await signIn(page, "Jory Tamm");
  await page.goto("/holds?tab=shelf");
  const shelf = page.getByRole("table", { name: "Hold shelf" });
  await expect(shelf.getByRole("columnheader", { name: "Slot" })).toBeVisible();
  await expect(page.getByRole("list", { name: "Upcoming closures" })).toContainText(
    /Closed Sun 11 Oct to Wed 14 Oct Public holiday, Boiler work\. Of the items here, \d+ have their last day before/,
  );
  await shelf.getByRole("button", { name: "Keep longer" }).last().click();
  const longer = page.getByRole("form", { name: /^Keep .* longer$/ });
  await longer.getByLabel("Keep until").fill("2026-11-06");
  await longer.getByLabel("Reason").fill("In hospital");
  await longer.getByRole("button", { name: "Save" }).click();
  await expect(shelf).toContainText("Fri 6 Nov");

  await page.goto("/holds?tab=calls");
  const calls = page.getByRole("table", { name: "To call" });
  await expect(calls.getByRole("button", { name: "Reached" }).first()).toBeVisible();
  const rows = await calls.getByRole("row").count();
  await calls
    .getByRole("button", { name: /^Not reached/ })
    .first()
    .click();
  await page.getByRole("menuitem", { name: "Message left" }).click();
  await expect(calls.getByRole("cell", { name: "1 call, last: Message left" })).toBeVisible();
  await expect(calls.getByRole("row")).toHaveCount(rows);
  await calls.getByRole("button", { name: "Reached", exact: true }).first().click();
  await expect(calls.getByRole("row")).toHaveCount(rows - 1);

  // A hold that is cancelled while its item stands on the shelf leaves something to be cleared.
  const [hold, number] = (
    await ask(
      `SELECT h.id || ' ' || i.barcode FROM holds h JOIN items i ON i.id = h.item_id
       WHERE h.state = 'ready' AND h.pickup = 'SLM' AND i.branch_code = 'SLM'
         AND NOT EXISTS (SELECT 1 FROM holds o WHERE o.title_id = h.title_id AND o.state = 'waiting') ORDER BY h.id LIMIT 1`,
    )
  ).split(" ");
  await ask("UPDATE holds SET state = 'cancelled', closed_at = now(), slot = NULL WHERE id = $1 RETURNING id", hold);
  await page.goto("/holds?tab=clear");
  const clear = page.getByRole("table", { name: "Expired" });
  await expect(clear.getByRole("row").filter({ hasText: number ?? "" })).toContainText("Cancelled");
  await scan(page, number ?? "");
  await expect(page.getByRole("region", { name: "Scanned here" })).toContainText("Shelve here");
  await expect(clear.getByRole("row").filter({ hasText: number ?? "" })).toHaveCount(0);
});

test("the courier: a day as a picture, a late run looked at, kept and undone, and what has not come", async ({
  page,
}) => {
  await signIn(page, "Maren Odell");
  await page.goto("/courier?tab=day&date=2026-10-06");
  await expect(
    page.getByRole("img", { name: /^Runs of the day: .*South van with at most \d+ on board/ }),
  ).toBeVisible();
  const runs = page.getByRole("table", { name: "Runs of the day" });
  await expect(runs.getByRole("row").filter({ hasText: "South van" })).toContainText("10:40");

  const promised = () =>
    ask(
      `SELECT string_agg(promised_at::text, ' ' ORDER BY id) FROM transits
       WHERE ended_at IS NULL AND promised_at > (SELECT shows FROM training_clock)`,
    );
  const before = await promised();
  await page.goto("/courier?tab=timetable");
  const south = page.getByRole("listitem").filter({ hasText: "South van" });
  await south.getByRole("button", { name: "Edit" }).click();
  const form = page.getByRole("form", { name: "Edit South van" });
  await form.getByLabel("Departs").nth(1).fill("10:00");
  await form.getByRole("button", { name: "Preview", exact: true }).click();
  await expect(page.getByText(/Times must increase/)).toBeVisible();
  await form.getByLabel("Departs").nth(1).fill("11:25");
  await form.getByLabel("Late on").fill("2026-10-06");
  await form.getByLabel("Minutes late").fill("90");
  await form.getByRole("button", { name: "Preview", exact: true }).click();
  await expect(region(page, "Effect").getByRole("status")).toContainText(/\d+ later/);
  // What counts is what was looked at: another form has to be looked at anew.
  await form.getByLabel("Minutes late").fill("95");
  await expect(page.getByRole("button", { name: "Apply" })).toHaveCount(0);
  await form.getByLabel("Minutes late").fill("90");
  await form.getByRole("button", { name: "Preview", exact: true }).click();
  await expect(region(page, "Effect").getByRole("status")).toContainText(/\d+ later/);
  expect(await promised()).toBe(before);
  await page.getByRole("button", { name: "Apply" }).click();
  await expect(page.getByRole("status").filter({ hasText: "Saved" })).toBeVisible();
  expect(await promised()).not.toBe(before);
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(page.getByRole("status").filter({ hasText: "Saved" })).toHaveCount(0);
  expect(await promised()).toBe(before);

  await go(page, "Courier");
  await page.getByRole("navigation", { name: "Courier" }).getByRole("button", { name: "Missing in transit" }).click();
  const stray = page.getByRole("table", { name: "Missing in transit" }).getByRole("row").nth(1);
  await expect(stray).toContainText("Marked missing on");
  await stray.getByRole("button", { name: "Searched, not found" }).click();
  await expect(stray).toContainText(/searched .*Maren Odell/);
});

test("what was chosen in the form of holds stays, whatever changes elsewhere; the pickup begins where they fetch", async ({
  page,
}) => {
  const [first, second] = [await goodCard("HVH"), await goodCard("SLM")];
  const other = await ask("SELECT id::text FROM titles ORDER BY id LIMIT 1");
  await signIn(page, "Maren Odell");
  await page.goto(`/holds?patron=${await ask("SELECT id::text FROM patrons WHERE card = $1", first)}`);
  const form = page.getByRole("form", { name: "Place a hold" });
  const whom = form.getByLabel("For", { exact: true });
  await expect(whom).not.toHaveValue("");
  await expect(form.getByLabel("Pickup at")).toHaveValue("HVH");
  await whom.fill("");
  await whom.fill(second);
  await page.getByRole("option").first().click();
  const chosen = await whom.inputValue();
  await expect(form.getByLabel("Pickup at")).toHaveValue("SLM");
  await form.getByLabel("Title", { exact: true }).fill(await ask("SELECT name FROM titles WHERE id = $1", other));
  await page.getByRole("option").first().click();
  const named = await form.getByLabel("Title", { exact: true }).inputValue();
  await form.getByLabel("Pickup at").selectOption("THB");
  const asked = page.waitForResponse(/\/api\/patrons\/\d+$/);
  await ask(`SELECT pg_notify('nevrin_changes', '{"everything": []}')::text`); // as if much had changed
  await asked;
  await page.waitForTimeout(500);
  await expect(whom).toHaveValue(chosen);
  await expect(form.getByLabel("Title", { exact: true })).toHaveValue(named);
  await expect(form.getByLabel("Pickup at")).toHaveValue("THB");
});

test("what comes back at one branch shows in the lists of another, over two copies of the program", ({
  page,
  browser,
}) =>
  keepingAddresses(async () => {
    const port = await freePort();
    const server = await copyAt(port);
    try {
      // Somebody at Saltmere waits for the only copy, which is lent from another branch.
      const number = await ask(
        `SELECT i.barcode FROM items i JOIN loans l ON l.item_id = i.id AND l.returned_at IS NULL AND l.lost_at IS NULL
         JOIN holds h ON h.title_id = i.title_id AND h.state = 'waiting' AND h.pickup = 'SLM' AND h.paused_until IS NULL
         WHERE i.branch_code <> 'SLM' AND i.parts = 1 AND i.note = ''
           AND (SELECT count(*) FROM items o WHERE o.title_id = i.title_id) = 1
           AND (SELECT count(*) FROM holds o WHERE o.title_id = i.title_id AND o.closed_at IS NULL) = 1
         ORDER BY i.id LIMIT 1`,
      );
      const other = await (await browser.newContext()).newPage();
      await other.goto(`http://127.0.0.1:${port}/`);
      await other.getByRole("button", { name: /Jory Tamm/ }).click();
      await go(other, "Courier");
      const coming = other.getByRole("table", { name: "Coming to Saltmere" });
      await expect(coming).toBeVisible();
      await signIn(page, "Maren Odell");
      await go(page, "Returns");
      await scan(page, number);
      await expect(coming.getByRole("row").filter({ hasText: number })).toBeVisible();
      await other.context().close();
    } finally {
      server.kill();
    }
  }));

test("a tote: filled by scanning, closed with its label, taken, and all of it received at the other end", async ({
  page,
  browser,
}) => {
  await signIn(page, "Maren Odell");
  await page.goto("/courier?tab=totes");
  const filling = region(page, "Open totes");
  await filling.getByLabel("Start a tote for").selectOption({ label: "Lanternfield" });
  await filling.getByRole("button", { name: "Start", exact: true }).click();
  const box = filling.getByRole("listitem").filter({ hasText: "Lanternfield" });
  await expect(box.getByRole("button", { name: "Close", exact: true })).toBeDisabled();
  const number = await ask(
    `SELECT i.barcode FROM items i WHERE i.branch_code = 'LNF' AND i.at_branch = 'LNF' AND i.standing = 'in_use' AND i.note = ''
       AND i.own_terms IS NULL AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id)
       AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.title_id = i.title_id AND h.closed_at IS NULL) ORDER BY i.id LIMIT 1`,
  );
  await scan(page, number);
  await expect(page.getByRole("region", { name: "Destination" })).toContainText("Lanternfield");
  await expect(box).toContainText("1 item");
  await box.getByRole("button", { name: /^Tote T\d+ from/ }).click();
  const one = region(page, "A tote");
  await expect(one.getByRole("table", { name: /^What is in tote/ })).toContainText(number);
  const label = /T\d+/.exec((await one.getByRole("heading", { level: 2 }).textContent()) ?? "")?.[0] ?? "";
  await scan(page, label);
  await expect(page.getByRole("region", { name: "Destination" })).toContainText("Not closed yet");
  await box.getByRole("button", { name: "Close", exact: true }).click();
  const waits = region(page, "Waiting for the courier").getByRole("listitem").filter({ hasText: label });
  await expect(waits).toContainText("Lanternfield");
  await expect(one).toContainText("Closed");
  await scan(page, label);
  await expect(page.getByRole("region", { name: "Destination" })).toContainText("goes with the courier to");
  await expect(waits).toHaveCount(0);
  await one.getByRole("button", { name: "Undo: Taken by the courier" }).click();
  await expect(waits).toBeVisible();
  await scan(page, label);
  await expect(waits).toHaveCount(0);

  const other = await (await browser.newContext()).newPage();
  await signIn(other, "Maren Odell");
  await workAt(other, "Lanternfield");
  await other.goto("/courier?tab=totes");
  await scan(other, label);
  await expect(other.getByRole("region", { name: "Destination" })).toContainText("arrived from");
  await other
    .getByRole("list", { name: "Totes to unpack" })
    .getByRole("button", { name: new RegExp(label) })
    .click();
  const there = region(other, "A tote");
  await there.getByRole("button", { name: "All 1 arrived" }).click();
  await expect(there.getByRole("table", { name: "Destination of each item" })).toContainText("Shelve here");
  await expect(there).toContainText("Unpacked");
  await there.getByRole("button", { name: "Undo: All of it arrived" }).click();
  await expect(there.getByRole("button", { name: "All 1 arrived" })).toBeVisible();
  await there.getByRole("button", { name: "All 1 arrived" }).click();
  await expect(there).toContainText("Unpacked");
  await scan(other, label);
  await expect(other.getByRole("region", { name: "Destination" })).toContainText("An empty tote");
  await other.context().close();
});

test("what if: a branch closed a week and a run that goes later, tried on what went; and what travels too much gets a new home", async ({
  page,
}) => {
  await signIn(page, "Maren Odell");
  const before = await ask("SELECT count(*) || ' ' || max(promised_at) FROM transits");
  await page.goto("/courier?tab=whatif");
  await page.getByLabel("Branch", { exact: true }).selectOption({ label: "Saltmere" });
  await page.getByLabel("Last closed day").fill("2027-01-01");
  await page.getByRole("button", { name: "Test" }).click();
  await expect(page.getByText(/Choose days from .* the first not after the last/)).toBeVisible();
  await page.getByLabel("Last closed day").fill(await page.getByLabel("Closed from").inputValue());
  await page.getByRole("button", { name: "Test" }).click();
  const meant = region(page, "What would have happened");
  await expect(meant.getByRole("status")).toContainText(/Saltmere closed for 1 day/);
  await expect(meant.getByRole("img", { name: /^Holds by days waited/ })).toBeVisible();
  await expect(meant.getByRole("table", { name: "By branch" })).toContainText("Saltmere");

  await page.goto("/courier?tab=timetable");
  const south = page.getByRole("listitem").filter({ hasText: "South van" });
  await south.getByRole("button", { name: "Edit" }).click();
  const form = page.getByRole("form", { name: "Edit South van" });
  await form.getByLabel("Departs").first().fill("09:00");
  await form.getByRole("button", { name: "Test on the last four weeks" }).click();
  await expect(meant.getByRole("status")).toContainText(/\d+ later/);
  await expect(meant.getByRole("table", { name: "Holds with the largest delay" })).toBeVisible();
  expect(await ask("SELECT count(*) || ' ' || max(promised_at) FROM transits")).toBe(before);

  await page.goto("/courier?tab=flows");
  await expect(page.getByRole("img", { name: /^Most goes from/ })).toBeVisible();
  const better = page.getByRole("table", { name: "Suggested moves" });
  const first = better.getByRole("row").nth(1);
  const number = /318460\d{8}/.exec((await first.textContent()) ?? "")?.[0] ?? "";
  const home = () => ask("SELECT branch_code FROM items WHERE barcode = $1", number);
  const was = await home();
  await first.getByRole("checkbox").check();
  await page.getByRole("button", { name: "Move 1 to its new home" }).click();
  const fresh = page.getByRole("region", { name: /^New home/ });
  await fresh.getByRole("button", { name: "Preview" }).click();
  await expect(fresh).toContainText("1 would be changed");
  expect(await home()).toBe(was);
  await fresh.getByRole("button", { name: "Apply" }).click();
  await expect(fresh.getByRole("status")).toContainText("1 changed");
  expect(await home()).not.toBe(was);
  await fresh.getByRole("button", { name: "Undo" }).click();
  await expect.poll(home).toBe(was);
});

test("one title for several people by name; and of what too many wait for, libraries outside are asked", async ({
  page,
}) => {
  const title = await ask(
    "SELECT title_id FROM holds WHERE state = 'waiting' GROUP BY 1 HAVING count(*) BETWEEN 5 AND 9 ORDER BY 1 LIMIT 1",
  );
  const cards = [await goodCard("HVH"), await goodCard("QRW")];
  await signIn(page, "Maren Odell");
  await page.goto(`/holds?title=${title}`);
  const form = page.getByRole("form", { name: "Place a hold" });
  await form.getByPlaceholder("Name, or scan a card").fill(cards[0] ?? "");
  await page.getByRole("listbox").getByRole("option").first().click();
  await page.getByRole("button", { name: "More options: edition or item, dates, several patrons" }).click();
  await form.getByRole("button", { name: "Add another patron" }).click();
  await form
    .getByPlaceholder("Name, or scan a card")
    .last()
    .fill(cards[1] ?? "");
  await page.getByRole("listbox").getByRole("option").first().click();
  await form.getByRole("button", { name: "Place hold" }).click();
  await expect(page.getByRole("status").filter({ hasText: "2 placed" })).toBeVisible();
  const placed = () =>
    ask(
      "SELECT count(*) FROM holds h JOIN patrons p ON p.id = h.patron_id WHERE h.title_id = $1 AND p.card = ANY($2) AND h.closed_at IS NULL",
      title,
      cards,
    );
  expect(await placed()).toBe("2");
  await page.getByRole("status").filter({ hasText: "2 placed" }).getByRole("button", { name: "Undo" }).click();
  await expect(page.getByRole("status").filter({ hasText: "0 placed" })).toBeVisible();
  expect(await placed()).toBe("0");
  const back = page.getByRole("list", { name: "Recently cancelled" }).getByRole("button", { name: "Undo" });
  await back.first().click();
  await expect(page.getByRole("status").filter({ hasText: "1 placed" })).toBeVisible();
  expect(await placed()).toBe("1");

  await page.goto("/holds?tab=demand");
  const row = page.getByRole("table", { name: "High demand" }).getByRole("row").nth(1);
  const name = await row.getByRole("link").first().textContent();
  await row.getByRole("link", { name: "Request from a partner" }).click();
  const outside = page.getByRole("region", { name: "Request from a partner" });
  await expect(outside.getByLabel("Title or author")).toHaveValue(name ?? "");
  await expect(outside.getByRole("region", { name: "Kelmouth College" })).toBeVisible();
});

test("axe-core finds nothing in holds, the fetch list and the courier, and they fit a phone", async ({ page }) => {
  await signIn(page, "Maren Odell");
  const tote = await ask("SELECT id::text FROM totes WHERE state = 'open' AND from_branch = 'HVH' ORDER BY id LIMIT 1");
  const title = await ask("SELECT title_id::text FROM holds WHERE state = 'waiting' ORDER BY id LIMIT 1");
  for (const path of [
    "/holds",
    `/holds?title=${title}`,
    "/holds?tab=shelf",
    "/holds?tab=demand",
    "/holds?tab=stuck",
    "/fetch",
    ...["way", "totes", "day", "late", "timetable", "whatif", "flows"].map((tab) => `/courier?tab=${tab}`),
    `/courier?tab=totes&tote=${tote}`,
  ]) {
    await page.setViewportSize({ width: 1280, height: 800 });
    await page.goto(path);
    await expect(page.getByRole("heading", { level: 1 })).toBeVisible();
    await readsWell(page, path);
    await page.setViewportSize({ width: 360, height: 720 });
    expect(await page.evaluate(() => document.documentElement.scrollWidth), path).toBeLessThanOrEqual(360);
  }
});
