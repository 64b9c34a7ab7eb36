import { expect } from "@playwright/test";
import { test } from "../house.ts";
import { ask, freeItems, go, goodCard, scan, scanLine, signIn, tab, tape } from "../kit.ts";

/** Who may see and do what, as people meet it. */

test("who has lost their password gets a link that works once, and is back in", async ({ page, browser }) => {
  await ask(
    "INSERT INTO staff (login, name, role, branch_code) VALUES ('tove', 'Tove Marrin', 'desk', 'SLM') RETURNING login",
  );
  await signIn(page, "Ada Pellam");
  await go(page, "Network");
  await tab(page, "Staff");
  const tove = page.getByRole("listitem").filter({ hasText: "Tove Marrin" });
  await tove.getByRole("button", { name: "Create password link" }).click();
  const link = /http\S+/.exec((await tove.getByRole("status").textContent()) ?? "")?.[0];
  await tove.getByRole("button", { name: "Edit Tove Marrin" }).click();
  await tove.getByRole("button", { name: "Quarrow" }).click();
  await tove.getByRole("button", { name: "Save" }).click();
  await expect(tove).toContainText("Works at Saltmere, Quarrow");

  const hers = await (await browser.newContext()).newPage();
  await hers.goto(link!);
  await expect(hers.getByText("For Tove Marrin, who signs in as tove.")).toBeVisible();
  const choose = async (one: string, two = one) => {
    await hers.getByLabel("New password", { exact: true }).fill(one);
    await hers.getByLabel("Repeat new password").fill(two);
    await hers.getByRole("button", { name: "Set password" }).click();
  };
  await choose("ferry lantern quarrel", "ferry lantern");
  await expect(hers.getByRole("alert")).toContainText("do not match");
  await choose("password1234");
  await expect(hers.getByRole("alert")).toContainText("too common");
  await choose("ferry lantern quarrel tide");
  await hers.getByRole("link", { name: "Sign in as tove" }).click();
  for (const password of ["something else", "ferry lantern quarrel tide"]) {
    await hers.getByLabel("Name").fill("tove");
    await hers.getByLabel("Password").fill(password);
    await hers.getByRole("button", { name: "Sign in" }).click();
    if (password === "something else") await expect(hers.getByRole("alert")).toContainText("do not match");
  }
  await expect(hers.getByRole("button", { name: /^Branch Saltmere/ })).toBeVisible();
  await hers.getByRole("button", { name: /^Branch Saltmere/ }).click();
  await expect(hers.getByRole("menuitem")).toHaveText(["Quarrow", "Saltmere"]);
  await hers.keyboard.press("Escape");

  await hers.goto(link!);
  await expect(hers.getByRole("alert")).toContainText("is used, replaced or expired");
  await page.reload();
  await tab(page, "Staff");
  await tove.getByRole("button", { name: "End all sessions" }).click();
  await expect(tove).toContainText("Not signed in");
  await hers.goto("/");
  await expect(hers.getByRole("heading", { name: "Sign in" })).toBeVisible();
  await hers.context().close();
});

test("a station that nobody touched asks who is there, and the tape is as it was", async ({ page }) => {
  const card = await goodCard("SLM");
  const [first = "", second = "", third = "", fourth = "", fifth = ""] = await freeItems("SLM", "book", 5);
  await signIn(page, "Jory Tamm");
  await page.getByRole("button", { name: /^Jory Tamm/ }).click();
  await page.getByRole("menuitem", { name: "My account" }).click();
  await page.getByLabel("New short code").fill("1234");
  await page.getByRole("button", { name: "Save code" }).click();
  await expect(page.getByRole("alert")).toContainText("too easy to guess");
  await page.getByLabel("New short code").fill("");
  await page.getByLabel("New short code").focus();
  await scan(page, "29999184600017"); // the badge
  await expect(page.getByLabel("New short code")).toHaveValue("29999184600017");
  await page.getByRole("button", { name: "Save code" }).click();
  await expect(page.getByText("Saved. Idle stations ask for it.")).toBeVisible();
  await go(page, "Desk");
  await scan(page, card);
  await expect(page.getByRole("region", { name: "Patron" })).toBeVisible();
  const rest = () =>
    ask(
      "WITH rested AS (UPDATE sessions s SET seen_at = clock_timestamp() - interval '31 minutes' FROM staff f WHERE f.id = s.staff_id AND f.login = 'jory' RETURNING 1) SELECT count(*) FROM rested",
    );
  const asks = page.getByRole("dialog", { name: "Who is there?" });
  const code = asks.getByLabel(/short code/);
  await rest();
  await scan(page, first);
  await expect(asks).toContainText("1 scan is waiting");
  await expect(code).toBeFocused();
  // Somebody looks at the books, not at the screen, and the line is lost: no wrong codes, and none of them gone.
  await page.route("**/api/come-back", (route) => route.abort());
  await scan(page, second);
  await expect(code).toHaveValue("");
  await scan(page, fourth);
  await expect(code).toHaveValue("");
  await page.unroute("**/api/come-back");
  await expect(asks).toContainText("3 scans are waiting");
  await asks.getByRole("button", { name: "Continue" }).click(); // in the demo one click is enough
  await expect(asks).toHaveCount(0);
  await expect(tape(page).getByText(/^Due /)).toHaveCount(3);

  await scan(page, third, async () => {
    await rest();
    await page.evaluate(() => document.dispatchEvent(new Event("visibilitychange"))); // the window looks whether it is in time
    await expect(code).toBeFocused();
  });
  await expect(asks).toContainText("1 scan is waiting");
  await expect(code).toHaveValue("");
  await asks.getByRole("button", { name: "Continue" }).dblclick();
  await expect(tape(page).getByText(/^Due /)).toHaveCount(4);
  await expect(scanLine(page)).toHaveValue("");

  // The question is there, and whether it is for a code or for a password is not known yet: no button takes a scan's Enter.
  await page.route("**/api/me", async (route) => {
    await new Promise((go) => setTimeout(go, 2000));
    await route.continue();
  });
  await rest();
  await page.evaluate(() => document.dispatchEvent(new Event("visibilitychange")));
  await expect(page.getByRole("dialog")).toBeVisible();
  await scan(page, fifth);
  await expect(asks).toContainText("1 scan is waiting");
  await expect(code).toBeFocused();
  await page.unroute("**/api/me");
  await asks.getByRole("button", { name: "Continue" }).click();
  await expect(tape(page).getByText(/^Due /)).toHaveCount(5);
});

test("a volunteer opens a card by its scan and sees what lending takes", async ({ page }) => {
  const patron = await ask(
    "SELECT p.card || ' ' || p.id || ' ' || p.phone FROM patrons p WHERE p.branch_code = 'SKN' AND p.standing = 'active' AND p.phone <> '' AND p.card_until > '2027-01-01' AND p.balance = 0 ORDER BY p.id LIMIT 1",
  );
  const [card, id] = patron.split(" ");
  await signIn(page, "Wil Sorrel");
  await expect(page.getByRole("link", { name: "Patrons" })).toHaveCount(0);
  await page.goto(`/patrons?patron=${id}`);
  await expect(page.getByText("opens patron records by card only")).toBeVisible();
  await go(page, "Desk");
  await scan(page, card!);
  const shown = page.getByRole("region", { name: "Patron" });
  await expect(shown).toContainText("Only desk staff see the rest of this record");
  await expect(shown).not.toContainText("Notify by");
  await expect(shown.getByRole("link", { name: "Open record" })).toHaveCount(0);
});

test("who looked at whom is kept; a patron chooses; and is forgotten when nothing is open", async ({ page }) => {
  const patron = await ask(
    "SELECT p.card || ' ' || p.id || ' ' || p.legal_name FROM patrons p WHERE p.branch_code = 'HVH' AND p.standing = 'active' AND p.balance = 0 AND NOT p.history_seen AND NOT EXISTS (SELECT 1 FROM loans l WHERE l.patron_id = p.id AND l.returned_at IS NULL) AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.patron_id = p.id AND h.closed_at IS NULL) AND NOT EXISTS (SELECT 1 FROM requests q WHERE q.patron_id = p.id AND q.stage NOT IN ('done', 'refused', 'withdrawn')) AND EXISTS (SELECT 1 FROM loans l WHERE l.patron_id = p.id) ORDER BY p.id LIMIT 1",
  );
  const [, id, who] = /^\d+ (\d+) (.*)$/.exec(patron) ?? [];
  await signIn(page, "Maren Odell");
  await page.goto(`/patrons?patron=${id}`);
  await expect(page.getByRole("heading", { name: who }).first()).toBeVisible();
  const history = page.getByRole("region", { name: "History" });
  await tab(page, "History");
  await expect(history).toContainText("Past loans are not shown");
  await expect(history.getByText(/^Lent to/)).toHaveCount(0);
  await tab(page, "Notices and consents");
  await page.getByLabel("Staff can see it").selectOption({ label: "Yes" });
  await page.getByRole("region", { name: "Privacy" }).getByRole("button", { name: "Save" }).click();
  await expect(page.getByLabel("Staff can see it")).toHaveValue("yes");
  await tab(page, "History");
  await expect(history.getByText(/^Lent to/).first()).toBeVisible();

  await tab(page, "Notices and consents");
  const file = page.waitForEvent("download");
  await page.getByRole("link", { name: "Export all data of this patron" }).click();
  expect((await file).suggestedFilename()).toContain("kept-");

  await go(page, "Network");
  await page.getByRole("main").getByRole("button", { name: "Record access log" }).click();
  const readings = page.getByRole("region", { name: "Record access log" });
  await expect(readings.getByRole("row").filter({ hasText: "Exported all data of a patron" }).first()).toContainText(
    "Maren Odell",
  );

  await page.goto(`/patrons?patron=${id}`);
  await tab(page, "Notices and consents");
  await page.getByRole("button", { name: "Delete personal data" }).click();
  await page.getByRole("button", { name: "Delete permanently" }).click();
  await expect(page.getByText(/^Deleted: /)).toBeVisible();
  await expect(page.getByText(who!)).toHaveCount(0);
  expect(
    await ask(
      "SELECT legal_name || ' ' || (SELECT count(*) FROM loans WHERE patron_id = p.id) FROM patrons p WHERE id = $1",
      id,
    ),
  ).toBe("Forgotten 0");
});

test("how far without asking is the network's to settle", async ({ page }) => {
  await signIn(page, "Ada Pellam");
  await go(page, "Network");
  await page.getByRole("main").getByRole("button", { name: "Settings" }).click();
  await page.getByLabel(/^Idle minutes/).fill("9999");
  await page.getByRole("button", { name: "Save stations and sign-in" }).click();
  await expect(page.getByRole("alert")).toContainText("Enter a number from 0 to 720.");
  // What is unsaved in another section stays there while this one is saved.
  const limits = page.getByRole("region", { name: "Limits for staff" });
  await limits.getByLabel("desk", { exact: true }).fill("7,50");
  await page.getByLabel(/^Idle minutes/).fill("45");
  await page.getByRole("button", { name: "Save stations and sign-in" }).click();
  await expect(page.getByRole("region", { name: "Stations and sign-in" })).toContainText("default: 30");
  await page
    .getByRole("group", { name: /^Owes too much/ })
    .getByRole("button", { name: "desk" })
    .click();
  await limits.getByRole("button", { name: "Save limits for staff" }).click();
  await expect
    .poll(() =>
      ask(
        "SELECT (settings->>'idle_minutes') || ' ' || (settings->'limits'->'waive'->>'desk') || ' ' || (settings->'limits'->'past'->>'owed') FROM network",
      ),
    )
    .toBe('45 750 ["desk"]');
  await page.reload();
  await expect(page.getByLabel("desk", { exact: true })).toHaveValue("7.50");
});
