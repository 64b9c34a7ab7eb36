import { expect, type Page } from "@playwright/test";
import { test } from "../house.ts";
import { ask, go, scan, signIn } from "../kit.ts";

/** What somebody might write into any field, or another system send: markup that would run, in several ways. */
const hostile = `<img src=x onerror="window.hit=1"><script>window.hit=2</script>"'><svg onload=window.hit=3>{{7*7}}`;

/** The texts that people write, by table. Names of staff stay, since the story signs in by them. */
const texts: Record<string, string[]> = {
  patrons: [
    "legal_name",
    "preferred_name",
    "shelf_name",
    "address",
    "town",
    "guardian_name",
    "standing_reason",
    "school",
  ],
  titles: ["name", "author", "publisher", "series", "summary", "subjects", "extent", "edition"],
  items: ["call_number", "note", "condition", "parts_say"],
  branches: ["name"],
  classes: ["name"],
  choices: ["name"],
  rosters: ["name", "school"],
  stations: ["name"],
  partners: ["name"],
  patron_notes: ["text"],
  reports: ["happened", "expected"],
  messages: ["subject", "body", "problem"],
  requests: ["title", "author", "note"],
  households: ["name"],
  network: ["name"],
};

const places = [
  ...["Today", "Desk", "Returns", "Patrons", "Rosters", "Money", "Holds", "Fetch list", "Courier", "Interlibrary"],
  ...["Notices", "Rulebook", "Calendars", "Network", "Items"],
];

/** Nothing of what was written has run, and no browser had to hold it back: it stands there as text. */
async function quiet(page: Page, where: string, refused: string[]) {
  await expect(page.locator("[aria-busy=true]")).toHaveCount(0);
  expect.soft(await page.evaluate(() => (window as { hit?: number }).hit), where).toBeUndefined();
  expect.soft(await page.locator("img[src=x], svg[onload]").count(), `${where}: markup`).toBe(0);
  expect.soft(refused, `${where}: held back by the browser`).toEqual([]);
}

test("what is written into any field is shown as it was written, and never runs", async ({ page }) => {
  const refused: string[] = [];
  page.on("console", (m) => {
    if (/Content Security Policy|Refused to/.test(m.text())) refused.push(m.text());
  });
  page.on("dialog", (d) => {
    if (d.type() !== "beforeunload") refused.push(`${d.type()}: ${d.message()}`); // ours, while a scan is under way
    void d.accept();
  });
  const card = await ask(
    "SELECT card FROM patrons p WHERE standing = 'active' AND EXISTS (SELECT 1 FROM loans l WHERE l.patron_id = p.id AND l.returned_at IS NULL) AND EXISTS (SELECT 1 FROM holds h WHERE h.patron_id = p.id AND h.state = 'ready') ORDER BY id LIMIT 1",
  );
  for (const [table, columns] of Object.entries(texts)) {
    // A name of its own for each row, where names tell rows apart.
    const own = table === "patrons" || table === "titles" || table === "requests" ? "" : "|| ctid::text";
    const set = columns.map((column) => `${column} = $1 ${own}`).join(", ");
    await ask(`WITH w AS (UPDATE ${table} SET ${set} RETURNING 1) SELECT count(*) FROM w`, hostile);
  }
  await ask("WITH w AS (UPDATE network SET version = version + 1 RETURNING 1) SELECT count(*) FROM w");

  for (const who of ["Maren Odell", "Ada"]) {
    await signIn(page, who);
    for (const place of who === "Ada" ? ["Network", "Items"] : places) {
      await go(page, place);
      await quiet(page, `${who}: ${place}`, refused);
    }
  }
  await go(page, "Desk");
  await scan(page, card);
  await expect(page.getByText("window.hit=1").first()).toBeVisible();
  await quiet(page, "a card at the desk", refused);
  for (const path of ["/mine", "/find?words=window", "/sign-up"]) {
    await page.goto(path);
    await quiet(page, path, refused);
  }
});
