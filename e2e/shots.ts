import { expect, test, type Page } from "@playwright/test";
import { ask, clockOn, freeItem, fromBin, go, goodCard, padOf, scan, signIn, sitAt, tab, workAt } from "./kit.ts";
import { Own } from "./own.ts";

/** Takes the pictures of docs/screenshots, one a main view, from the demo data. */
async function shot(page: Page, name: string) {
  await expect(page.locator("[aria-busy]")).toHaveCount(0);
  await page.waitForTimeout(700);
  await page.screenshot({ path: `../docs/screenshots/${name}.png` });
}

test("pictures of the main views", async ({ page }) => {
  test.setTimeout(180_000);
  await page.goto("/");
  await expect(page.getByRole("heading", { name: "Sign in" })).toBeVisible();
  await signIn(page, "Maren Odell");
  await expect(page.getByText(/tasks are late/)).toBeVisible();
  await shot(page, "today");

  await go(page, "Rulebook");
  await page.getByRole("button", { name: /^Draft 8/ }).click();
  await page.getByLabel("Branch", { exact: true }).selectOption({ label: "Wrenna" });
  const cell = page.getByRole("button", { name: /^Child, Film: 14 days/ });
  await cell.click();
  await page.getByRole("button", { name: "Why 14 days" }).click();
  await expect(page.getByRole("dialog")).toBeVisible();
  await shot(page, "rulebook-why");
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Rehearsal", exact: true }).click();
  await page.getByRole("button", { name: "Rehearse draft 8" }).click();
  await expect(page.getByRole("region", { name: "In short" })).toBeVisible({ timeout: 60_000 });
  await shot(page, "rehearsal");

  await go(page, "Calendars");
  await page.getByRole("combobox", { name: "Branch" }).selectOption({ label: "Saltmere" });
  await page.getByLabel("Closed from").fill("2026-10-20");
  await page.getByLabel("Closed until").fill("2026-10-24");
  await page.getByLabel("Reason").fill("New floor");
  await page.getByRole("button", { name: "Preview" }).click();
  await expect(page.getByRole("region", { name: "What will change" })).toContainText("due dates move");
  await shot(page, "calendars");

  await go(page, "Batch changes");
  const change = page.getByRole("form", { name: "Change" });
  await change.getByLabel("Move").selectOption("days");
  await change.getByLabel("Days", { exact: true }).fill("7");
  await change.getByRole("group", { name: /^Lent at/ }).getByRole("button", { name: "Havenhead" }).click();
  await change.getByLabel("Reason").fill("Storm of 6 October");
  await change.getByRole("button", { name: "Preview" }).click();
  await expect(page.getByRole("table", { name: "Records that change" })).toBeVisible();
  await shot(page, "changes");

  await workAt(page, "Saltmere");
  await go(page, "Fetch list");
  await scan(
    page,
    await ask(
      "SELECT i.barcode FROM holds h JOIN items i ON i.id = h.item_id WHERE h.state = 'fetching' AND i.at_branch = 'SLM' AND h.pickup = 'HVH' LIMIT 1",
    ),
  );
  await expect(page.getByLabel("Destination", { exact: true })).toBeVisible();
  await shot(page, "fetch-list");
  const wanted = await ask(
    "SELECT title_id FROM holds WHERE state = 'waiting' GROUP BY 1 HAVING count(*) BETWEEN 6 AND 9 ORDER BY count(*) DESC, 1 LIMIT 1",
  );
  await page.goto(`/holds?title=${wanted}`);
  await expect(page.getByRole("img", { name: /^The queue of/ })).toBeVisible();
  await shot(page, "holds");
  await page.goto("/courier?tab=day&date=2026-10-06");
  await expect(page.getByRole("img", { name: /^Runs of the day/ })).toBeVisible();
  await shot(page, "courier");
  await workAt(page, "Quarrow");

  await signIn(page, "Jory Tamm");
  await go(page, "Desk");
  await sitAt(page, "Counter");
  const card = await ask(
    `SELECT p.card FROM patrons p WHERE branch_code = 'SLM' AND class = 'adult' AND standing = 'active' AND card_until > '2027-01-01' AND balance BETWEEN 25 AND 400
     AND photo_at IS NOT NULL ORDER BY id LIMIT 1`,
  ).catch(() => goodCard("SLM"));
  await scan(page, card);
  await expect(page.getByRole("region", { name: "Patron" })).toBeVisible();
  const pad = await padOf("SLM");
  const laid = [await freeItem("SLM", "book"), "?"].join("\n");
  await page.request.post(`${pad}/lay`, { form: { things: laid } });
  await expect(page.getByRole("region", { name: "Scanned items" }).getByText("Lent", { exact: true })).toHaveCount(1);
  await scan(page, await freeItem("SLM", "film"));
  await scan(page, "9789295055025");
  await expect(page.getByRole("region", { name: "Scanned items" }).getByText("publisher’s product code")).toBeVisible();
  await shot(page, "desk");
  await page.request.post(`${pad}/lift`);
  await sitAt(page, "None of these");
  await page.getByRole("button", { name: "Pay or waive" }).click();
  const pay = page.getByRole("form", { name: "Pay or waive" });
  await pay.getByLabel("Cash received").fill("20.00");
  await pay.getByRole("button", { name: /^Take / }).click();
  await expect(page.getByText("Give change:", { exact: false })).toBeVisible();
  await go(page, "Money");
  await tab(page, "Income");
  await expect(page.getByRole("table", { name: "Income" })).toBeVisible();
  await shot(page, "money");
  await go(page, "Desk");
  await page.getByRole("link", { name: "Open record" }).click();
  await shot(page, "patron");
  await go(page, "Patrons");
  await page.getByRole("button", { name: "Register somebody" }).click();
  const [name = "", born = ""] = (
    await ask(
      "SELECT legal_name || '|' || born FROM patrons WHERE class = 'youth' AND length(legal_name) > 9 ORDER BY id LIMIT 1",
    )
  ).split("|");
  await page.getByLabel(/^Legal name/).fill(name.replace(/.$/, ""));
  await page.getByLabel(/^Born/).fill(born);
  await expect(page.getByRole("region", { name: "Possible duplicates" })).toContainText("same birth date");

  await go(page, "Rosters");
  await tab(page, "Import lists");
  const pupils = await ask(
    "SELECT string_agg(school || ',' || CASE WHEN n < 4 THEN '6c' ELSE '6a' END, E'\\n') FROM (SELECT school, row_number() OVER (ORDER BY id) AS n FROM patrons WHERE branch_code = 'HVH' AND school_year = '6' LIMIT 8) p",
  );
  await page.getByLabel(/^Paste a list/).fill(`number,class\n${pupils}\nHVH99999,6a\n${pupils.split(",")[0]},6a`);
  await page.getByLabel("School", { exact: true }).fill("Quay Street School");
  await page.getByLabel("School year").fill("6");
  await page.getByRole("button", { name: "Preview" }).click();
  await expect(page.getByText("2 lines with problems")).toBeVisible();
  await shot(page, "rosters");

  await fromBin(page);
  await expect(page.getByText(/^Counted as returned/)).toBeVisible();
  for (const query of [
    "SELECT i.barcode FROM loans l JOIN items i ON i.id = l.item_id WHERE l.returned_at IS NULL AND i.branch_code = 'SLM' AND i.at_branch = 'SLM' AND l.branch_code = 'SLM' AND l.due_date < '2026-09-28' AND i.material = 'film' LIMIT 1",
    "SELECT i.barcode FROM loans l JOIN items i ON i.id = l.item_id WHERE l.returned_at IS NULL AND i.branch_code = 'SLM' AND l.due_date > '2026-10-08' AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.title_id = i.title_id AND h.state = 'waiting') LIMIT 1",
    "SELECT i.barcode FROM loans l JOIN items i ON i.id = l.item_id WHERE l.returned_at IS NULL AND EXISTS (SELECT 1 FROM holds h WHERE h.title_id = i.title_id AND h.state = 'waiting' AND h.pickup = 'SLM' AND h.place = (SELECT min(place) FROM holds o WHERE o.title_id = h.title_id AND o.state = 'waiting')) LIMIT 1",
    "SELECT '31846999999997'",
    "SELECT i.barcode FROM loans l JOIN items i ON i.id = l.item_id WHERE l.returned_at IS NULL AND i.branch_code = 'HVH' AND l.due_date > '2026-10-08' AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.title_id = i.title_id AND h.state = 'waiting') LIMIT 1",
  ]) {
    await scan(page, await ask(query));
  }
  await expect(page.getByRole("region", { name: "Scanned items" }).getByRole("row")).toHaveCount(6);
  await shot(page, "returns");

  await go(page, "Items");
  await page.getByLabel(/^Title, author/).fill("salt");
  await expect(page.getByRole("row").nth(3)).toBeVisible();
  await shot(page, "items");

  await signIn(page, "Caspar Vane");
  const outside = ((await (await page.request.get("/api/me")).json()) as { outside: string }).outside;
  await page.request.post(outside + "KELMOUTH/ask", { form: { title: "The Salt Choir" }, maxRedirects: 0 });
  await page.request.post(outside + "PSABEL/ask", { form: { title: "Beekeeping of the North" }, maxRedirects: 0 });
  const reader = await goodCard("HVH");
  const requests = page.getByRole("region", { name: "Requests" });
  await go(page, "Interlibrary");
  for (const [words, partner] of [
    ["fog signals", "Kelmouth College"],
    ["winter choirs", "Port Sabel Public Library"],
    ["small ferries", "Kelmouth College"],
  ] as const) {
    await scan(page, words);
    await page.getByRole("region", { name: partner }).getByRole("radio").check();
    await page.getByLabel("For", { exact: true }).fill(reader);
    await page.getByRole("option", { name: new RegExp(reader) }).click();
    await page.getByRole("button", { name: `Send request to ${partner}` }).click();
    await expect(page.getByRole("region", { name: "Request from a partner" })).toHaveCount(0);
  }
  await expect(requests).toContainText("Declined", { timeout: 20_000 });
  await expect(requests.getByText("In transit to us")).toHaveCount(7, { timeout: 20_000 });
  await requests.getByRole("button", { name: "Mark as received" }).last().click();
  await expect(page.getByLabel("Destination", { exact: true })).toBeVisible();
  await page.locator("#place").evaluate((place) => place.scrollTo(0, 0));
  await shot(page, "interlibrary");

  await signIn(page, "Ada Pellam");
  await go(page, "Network");
  await tab(page, "Staff");
  await page.getByRole("button", { name: "Edit Jory Tamm" }).click();
  await shot(page, "network");

  // The patron's own page, on a phone: of somebody who has something on loan, waits for something and owes something.
  const [own, ownCard] = (
    await ask(`SELECT p.id || ' ' || p.card FROM patrons p WHERE p.standing = 'active' AND p.balance > 0
      AND (SELECT count(*) FROM loans l WHERE l.patron_id = p.id AND l.returned_at IS NULL) = 3
      AND EXISTS (SELECT 1 FROM holds h WHERE h.patron_id = p.id AND h.closed_at IS NULL) ORDER BY p.id LIMIT 1`)
  ).split(" ");
  await page.request.post(`/api/patrons/${own}/pin`, { data: { pin: "4711" } });
  await page.setViewportSize({ width: 390, height: 844 });
  await page.goto("/mine");
  await page.getByLabel("Card number").fill(ownCard!);
  await page.getByLabel("Your PIN").fill("4711");
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByRole("heading", { name: "On loan" })).toBeVisible();
  await shot(page, "mine");
  await page.setViewportSize({ width: 1280, height: 800 });

  await signIn(page, "Maren Odell");
  await go(page, "Notices");
  await page.getByRole("button", { name: /Lost, with its bill.*Trial run/ }).click();
  await page
    .getByRole("region", { name: "Run", exact: true })
    .getByRole("row")
    .nth(1)
    .getByRole("button")
    .first()
    .click();
  await expect(page.getByText(/has been marked lost/)).toBeVisible();
  await shot(page, "notices");
});

/** One picture of several, with what each is. */
async function sheet(page: Page, name: string, pictures: [string, Buffer][]) {
  const figures = pictures.map(
    ([what, png], k) => `<figure><img src="data:image/png;base64,${png.toString("base64")}" alt="">
      <figcaption>${k + 1}. ${what}</figcaption></figure>`,
  );
  await page.setContent(`<style>
    body { margin: 0; padding: 12px; display: grid; grid-template-columns: 1fr 1fr; gap: 12px; background: #e6dfd3; font: 15px sans-serif }
    figure { margin: 0 } img { width: 100%; border: 1px solid #b9ad98 } figcaption { padding: 2px 0 6px }
  </style>${figures.join("")}`);
  await page.screenshot({ path: `../docs/screenshots/${name}.png`, fullPage: true });
}

test("the first day of a network of one's own", async ({ page }) => {
  const own = new Own("first_shots");
  await own.begin();
  try {
    own.nevrin(
      ...[
        "init",
        "--name",
        "Coast Libraries",
        "--timezone",
        "Europe/Berlin",
        "--currency",
        "EUR",
        "--courier",
        "daily",
      ],
      ...[
        "--branch",
        "OST Ostkai",
        "--branch",
        "SUD Südtor",
        "--branch",
        "WES Westhof",
        "--hours",
        "mon-sun 00:05-23:55",
      ],
    );
    own.nevrin("administrator", "add", "anna", "--name", "Anna Example", "--branch", "OST");
    await page.goto(await own.serve());
    const pictures: [string, Buffer][] = [];
    const seen = async (what: string) => {
      await expect(page.locator("[aria-busy=true]")).toHaveCount(0);
      await page.waitForTimeout(500);
      pictures.push([what, await page.screenshot()]);
    };
    await page.getByLabel("Name").fill("anna");
    await page.getByLabel("Password").fill(Own.password);
    await page.getByRole("button", { name: "Sign in" }).click();
    await expect(page.getByRole("region", { name: "First steps" })).toContainText("2 of 9 done.");
    await seen("Today lists what is still to be set up.");
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
    await seen("A title by hand, and its copy.");
    await copies.getByRole("button", { name: "Add", exact: true }).click();
    await expect(page.getByRole("region", { name: "Add copies" }).getByRole("status")).toContainText("added");
    await go(page, "Patrons");
    await page.getByRole("button", { name: "Register somebody" }).click();
    const form = page.getByRole("form", { name: "Register somebody" });
    await form.getByLabel(/^Legal name/).fill("Sunniva Brock");
    await form.getByLabel(/^Born/).fill("1990-02-03");
    await form.getByLabel(/^Street address/).fill("9 Net Loft Wharf");
    await seen("Somebody is registered; the card gets the next number, or the one that is scanned.");
    await form.getByRole("button", { name: "Register", exact: true }).click();
    await expect(page.getByRole("heading", { name: "Sunniva Brock" }).first()).toBeVisible();
    await go(page, "Desk");
    await scan(page, await ask("SELECT card FROM patrons"));
    await expect(page.getByRole("region", { name: "Patron" })).toContainText("Sunniva Brock");
    await scan(page, await ask("SELECT barcode FROM items"));
    await expect(page.getByText("Lent", { exact: true })).toBeVisible();
    await seen("The first loan: the card, then the item.");
    await sheet(page, "first-day", pictures);
  } finally {
    await own.end();
  }
});
