import { expect, type Page } from "@playwright/test";
import { test } from "../house.ts";
import { readFileSync } from "node:fs";
import { ask, go, goodCard, readsWell, signIn, tab } from "../kit.ts";

// Whoever administrates takes the files of another library in: looked at first, taken in one go, undone as one.

/** A card number of the network that nobody has, by the nth of a range that is far from being given out. */
function newCard(n: number) {
  const digits = "21846" + String(90_000_000 + n);
  // The check digit is Luhn's (ISO/IEC 7812-1, annex B, from memory).
  const sum = [...digits].reverse().reduce((all, d, k) => {
    const twice = Number(d) * (k % 2 === 0 ? 2 : 1);
    return all + (twice > 9 ? twice - 9 : twice);
  }, 0);
  return digits + String((10 - (sum % 10)) % 10);
}

const toMoving = async (page: Page) => {
  await go(page, "Network");
  await tab(page, "Import");
};

async function sendFile(page: Page, what: string, name: string, content: string | Buffer) {
  await toMoving(page);
  await page.getByLabel("Contents").selectOption({ label: what });
  await page.getByLabel("Source system").fill("Gull Ness");
  await page.getByLabel(/^CSV|^MARC 21/).setInputFiles({
    name,
    mimeType: "application/octet-stream",
    buffer: Buffer.from(content),
  });
  await page.getByRole("button", { name: "Upload" }).click();
}

test("patrons of another library move in: read otherwise, tried by line, taken, the next day's differences, undone", async ({
  page,
}) => {
  await signIn(page, "Ada Pellam");
  const cards = Array.from({ length: 5 }, (_, k) => newCard(k));
  // As another program writes it: Windows-1252, semicolons, heads and codes of its own.
  const heads = "Card number;Surname;First name;Date of birth;Category;Library;E-mail";
  const lines = [
    `${cards[0]};Lindgren;Åsa;31.12.1990;ADLT;GN;asa@post.invalid`,
    `${cards[1]};Berg;Ole;1.2.1985;ADLT;GN;no address`,
    `${cards[2]};Strange;Sol;1.2.1985;VIP;GN;`,
    `${cards[0]};Twice;Tea;1.2.1985;ADLT;GN;`,
  ];
  await sendFile(page, "Patrons", "patrons.csv", Buffer.from([heads, ...lines].join("\r\n"), "latin1"));

  const read = page.getByRole("region", { name: "Columns" });
  await expect(read).toContainText("4 lines, letters in Windows-1252, cells separated by semicolons", {
    timeout: 15_000,
  });
  await expect(read.getByRole("table", { name: "First rows" })).toContainText("Åsa");
  await expect(page.getByLabel("Column for: Birth date")).toHaveValue("Date of birth");
  await read.getByLabel("ADLT", { exact: false }).selectOption({ label: "Adult" });
  await read.getByLabel("GN", { exact: false }).selectOption({ label: "Saltmere" });
  await read.getByRole("button", { name: "Test import" }).click();

  const outcome = page.getByRole("region", { name: "Result" });
  await expect(outcome.getByRole("heading", { name: "Test result" })).toBeVisible({ timeout: 15_000 });
  const odd = outcome.getByRole("table", { name: "Lines with problems" });
  await expect(odd).toContainText('"no address" is not an email address');
  await expect(odd).toContainText('"VIP" is unknown');
  await expect(odd).toContainText("Duplicate of line 2.");
  expect(await ask("SELECT count(*) FROM patrons WHERE card = ANY($1)", cards)).toBe("0");

  // What is left can be removed, to be mended.
  const down = page.waitForEvent("download");
  await outcome.getByRole("link", { name: "Skipped lines as CSV" }).click();
  const left = readFileSync(await (await down).path(), "utf8");
  expect(left.split("\n")[0]).toBe(`${heads.replaceAll(";", ",")},Line,Reason`);
  expect(left).toContain(`${cards[2]},Strange,Sol,1.2.1985,VIP,GN,`);

  // Read otherwise, what it would become is told anew: how it is read stands above, a class has another meaning, and the branch is one
  // for all, though it has no column.
  await outcome.getByRole("button", { name: "Change columns" }).click();
  expect((await read.boundingBox())?.y).toBeLessThan((await outcome.boundingBox())?.y ?? 0);
  await read.getByLabel("VIP", { exact: false }).selectOption({ label: "Senior" });
  await read.getByLabel("Column for: Home branch").selectOption({ label: "no column" });
  await read.getByLabel("Column for: Email").selectOption({ label: "no column" });
  await read.getByLabel("Default for: Email").fill("list@post.invalid");
  await read.getByLabel("Default for: Home branch").selectOption({ label: "for all: Saltmere" });
  await read.getByRole("button", { name: "Test import" }).click();
  await expect(odd).not.toContainText("no address", { timeout: 15_000 });
  await expect(odd).not.toContainText("VIP");
  await expect(odd).toContainText("Duplicate of line");
  await outcome.getByRole("button", { name: "Change columns" }).click();
  await read.getByLabel("Default for: Email").fill("");
  await read.getByLabel("Column for: Email").selectOption({ label: "E-mail" });
  await read.getByLabel("VIP", { exact: false }).selectOption({ label: "no match: skip these lines" });
  await read.getByRole("button", { name: "Test import" }).click();
  await expect(odd).toContainText('"VIP" is unknown', { timeout: 15_000 });

  await outcome.getByRole("button", { name: "Import 2" }).dblclick();
  await expect(outcome.getByRole("heading", { name: "Imported" })).toBeVisible({ timeout: 15_000 });
  expect(
    await ask(
      "SELECT string_agg(legal_name || ' ' || born || ' ' || branch_code, ', ' ORDER BY id) FROM patrons WHERE card = ANY($1)",
      cards,
    ),
  ).toBe("Åsa Lindgren 1990-12-31 SLM, Ole Berg 1985-02-01 SLM");

  // The next day: one has another address, one is new, how it is read is known.
  const next = [heads, lines[0]?.replace("asa@", "new@"), lines[1], `${cards[4]};Nilsen;Nia;1.1.2001;ADLT;GN;`];
  await sendFile(page, "Patrons", "patrons-2.csv", next.join("\n"));
  await page.getByRole("button", { name: "Test import" }).click({ timeout: 15_000 });
  await outcome.getByRole("button", { name: "Import 2" }).click({ timeout: 15_000 });
  await expect(outcome.getByRole("row", { name: /^Patrons 1 1 1/ })).toBeVisible({ timeout: 15_000 });
  await expect(outcome.getByRole("button", { name: "Undo import" })).toBeVisible({ timeout: 15_000 });
  expect(await ask("SELECT email FROM patrons WHERE card = $1", cards[0])).toBe("new@post.invalid");

  await outcome.getByRole("button", { name: "Undo import" }).click();
  await expect(outcome.getByRole("heading", { name: "Import undone" })).toBeVisible({ timeout: 15_000 });
  expect(await ask("SELECT email FROM patrons WHERE card = $1", cards[0])).toBe("asa@post.invalid");
  expect(await ask("SELECT count(*) FROM patrons WHERE card = $1", cards[4])).toBe("0");
  await page.getByRole("link", { name: "All files" }).click();
  const files = page.getByRole("table", { name: "Imported files" });
  await expect(files.getByRole("row", { name: /patrons-2.csv/ })).toContainText("Undone");
  await expect(files.getByRole("row", { name: /patrons.csv/ })).toContainText("Imported");

  // What came has its history, and none is offered to take files in.
  await signIn(page, "Maren Odell");
  await go(page, "Network");
  await expect(page.getByRole("button", { name: "Import" })).toHaveCount(0);
});

test("a file that is none says what is wrong; one that does not come whole goes on where it was", async ({ page }) => {
  await signIn(page, "Ada Pellam");
  await sendFile(page, "Patrons", "book.xls", Buffer.from([0xd0, 0xcf, 0x11, 0xe0, 0, 0, 0, 1, 65, 10]));
  await expect(page.getByRole("alert").first()).toContainText("a zero byte in line 1", { timeout: 15_000 });
  await page.getByRole("button", { name: "Delete file" }).click();

  // The window is closed in the middle: the first part has come.
  const rows = Array.from(
    { length: 30_000 },
    (_, k) => `${newCard(1000 + k)},Somebody With A Long Name ${k},adult,HVH`,
  );
  const content = Buffer.from(["card,name,class,branch", ...rows].join("\n"));
  expect(content.length).toBeGreaterThan(1_300_000);
  let parts = 0;
  await page.route("**/api/intakes/*/parts", (route) => (++parts > 1 ? undefined : route.continue()));
  await sendFile(page, "Patrons", "many.csv", content);
  await expect(page.getByRole("progressbar", { name: "Upload progress" })).toBeVisible();
  await expect.poll(() => parts).toBe(2);
  await page.unrouteAll({ behavior: "ignoreErrors" });
  await page.reload();
  await page
    .getByRole("region", { name: "Upload" })
    .getByLabel(/^many.csv/)
    .setInputFiles({
      name: "many.csv",
      mimeType: "text/csv",
      buffer: content,
    });
  await expect(page.getByRole("region", { name: "Columns" })).toContainText("30,000 lines", { timeout: 30_000 });
  await page.getByRole("button", { name: "Test import" }).click();
  await expect(page.getByRole("button", { name: "Import 30,000" })).toBeVisible({ timeout: 60_000 });
  await page.getByRole("button", { name: "Delete file" }).click();
  expect(await ask("SELECT count(*) FROM patrons WHERE legal_name LIKE 'Somebody With A Long%'")).toBe("0");
});

test("axe-core finds nothing where files are taken in", async ({ page }) => {
  await signIn(page, "Ada Pellam");
  await sendFile(page, "Patrons", "few.csv", `card,name,class,branch\n${newCard(900)},Vera Lund,adult,HVH\nx,y,z,w`);
  await expect(page.getByRole("region", { name: "Columns" })).toBeVisible({ timeout: 15_000 });
  await readsWell(page, "how a file is read");
  await page.getByRole("button", { name: "Test import" }).click();
  await expect(page.getByRole("button", { name: "Import 1" })).toBeVisible({ timeout: 15_000 });
  await readsWell(page, "a file that was tried");
  await page.getByRole("button", { name: "Delete file" }).click();
  await page.getByRole("link", { name: "All files" }).click();
  await readsWell(page, "all files");
});

// Copies alone at Havenhead that nobody has and nobody waits for.
const free = (
  n: number,
) => `SELECT %s FROM titles t JOIN items i ON i.title_id = t.id WHERE t.isbn <> '' AND i.at_branch = 'HVH'
     AND i.branch_code = 'HVH' AND i.material = 'book' AND i.standing = 'in_use' AND i.note = '' AND i.collection <> 'reference'
     AND (SELECT count(*) FROM items o WHERE o.title_id = t.id) = 1
     AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id)
     AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.title_id = t.id AND h.closed_at IS NULL) ORDER BY t.id OFFSET ${n} LIMIT 1`;

test("holds that move in get free copies at once, by choice; heads in German are known", async ({ page }) => {
  const isbn = await ask(free(0).replace("%s", "t.isbn"));
  const card = await goodCard("HVH");
  await signIn(page, "Ada Pellam");
  await sendFile(page, "Open holds", "vormerkungen.csv", `ISBN;Kartennummer;Abholort\n${isbn};${card};HVH\n`);
  await expect(page.getByLabel("Column for: Pickup branch")).toHaveValue("Abholort", { timeout: 15_000 });
  await page.getByRole("button", { name: "Test import" }).click();
  await page.getByRole("button", { name: "Import 1" }).click();
  const outcome = page.getByRole("region", { name: "Result" });
  await expect(outcome).toContainText("The next night finds copies for these holds.", { timeout: 30_000 });
  const state = () =>
    ask(
      "SELECT h.state FROM holds h JOIN patrons p ON p.id = h.patron_id WHERE p.card = $1 AND h.closed_at IS NULL",
      card,
    );
  expect(await state()).toBe("waiting");
  await outcome.getByRole("button", { name: "Find copies now" }).dblclick();
  await expect(outcome.getByRole("status")).toContainText("They appear on the fetch lists as copies are found.");
  await expect.poll(state, { timeout: 20_000 }).toBe("fetching");
  await readsWell(page, "Holds that moved in");
});

test("what stood on the hold shelf stands there when it has moved in, and what is overdue can be told of at once", async ({
  page,
}) => {
  const [shelved, lent] = [
    await ask(free(3).replace("%s", "i.barcode")),
    await ask(free(4).replace("%s", "i.barcode")),
  ];
  const isbn = await ask(free(3).replace("%s", "t.isbn"));
  const title = await ask(free(3).replace("%s", "t.name"));
  const card = await goodCard("HVH");
  await signIn(page, "Ada Pellam");
  await sendFile(
    page,
    "Open holds",
    "ready.csv",
    `isbn,card,pickup,status,barcode,last pickup day\n${isbn},${card},HVH,On shelf,${shelved},2026-10-17\n`,
  );
  const outcome = page.getByRole("region", { name: "Result" });
  const read = page.getByRole("region", { name: "Columns" });
  await expect(read).toBeVisible({ timeout: 15_000 });
  await read.getByLabel("On shelf", { exact: false }).selectOption({ label: "ready on the hold shelf" });
  await page.getByRole("button", { name: "Test import" }).click();
  await page.getByRole("button", { name: "Import 1" }).click();
  await expect(outcome.getByRole("heading", { name: "Imported" })).toBeVisible({ timeout: 30_000 });
  await go(page, "Holds");
  await tab(page, "Hold shelf");
  await expect(page.getByRole("row", { name: new RegExp(title.slice(0, 20)) })).toContainText("17 Oct");

  await sendFile(
    page,
    "Open loans",
    "loans.csv",
    `label,card,branch,lent_at,due_date\n${lent},${card},HVH,2026-08-20,2026-09-20\n`,
  );
  await expect(read).toBeVisible({ timeout: 15_000 });
  await page.getByRole("button", { name: "Test import" }).click();
  await page.getByRole("button", { name: "Import 1" }).click();
  await expect(outcome).toContainText("The next night prepares notices", { timeout: 30_000 });
  await outcome.getByRole("button", { name: "Prepare notices now" }).dblclick();
  await expect(outcome.getByRole("status")).toContainText("They are added to today's trial runs");
  const told = () =>
    ask(
      "SELECT count(*) FROM notices t JOIN loans l ON l.id = t.loan_id JOIN items i ON i.id = l.item_id WHERE i.barcode = $1",
      lent,
    );
  await expect.poll(told, { timeout: 20_000 }).toBe("1");
});
