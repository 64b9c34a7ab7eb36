import AxeBuilder from "@axe-core/playwright";
import { expect, type CDPSession, type Page } from "@playwright/test";
import pg from "pg";
import { spawn, type ChildProcess } from "node:child_process";
import { createServer } from "node:net";

/** Asks the database for one text, to find things of the demo that a story can begin with. */
export async function ask(query: string, ...args: unknown[]): Promise<string> {
  const client = new pg.Client(process.env.DATABASE_URL);
  await client.connect();
  try {
    const { rows } = await client.query({ text: query, values: args, rowMode: "array" });
    if (rows.length === 0) throw new Error(`no row for ${query}`);
    return String((rows[0] as unknown[])[0]);
  } finally {
    await client.end();
  }
}

/** What was given out in the house so far: nothing is given to a story twice, and in each run it is the same. */
const given = { house: "", numbers: [] as string[] };

async function another(query: string, ...args: string[]) {
  const house = process.env.NEVRIN_URL ?? "";
  if (given.house !== house) Object.assign(given, { house, numbers: [] });
  const number = await ask(query, given.numbers, ...args);
  given.numbers.push(number);
  return number;
}

/** An item that is free to be lent, the only one of its title, that nobody waits for. */
export const freeItem = (branch: string, material: string) =>
  another(
    `SELECT i.barcode FROM items i WHERE i.at_branch = $2 AND i.branch_code = $2 AND i.material = $3 AND i.standing = 'in_use' AND i.note = ''
     AND (SELECT count(*) FROM items o WHERE o.title_id = i.title_id) = 1
     AND NOT EXISTS (SELECT 1 FROM loans l WHERE l.item_id = i.id AND l.returned_at IS NULL)
     AND NOT EXISTS (SELECT 1 FROM transits t WHERE t.item_id = i.id AND t.ended_at IS NULL)
     AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.title_id = i.title_id AND h.closed_at IS NULL)
     AND i.barcode <> ALL ($1) ORDER BY md5(i.barcode) LIMIT 1`,
    branch,
    material,
  );

/** The card of an adult who has nothing, owes nothing and waits for nothing. */
export const goodCard = (branch: string) =>
  another(
    `SELECT p.card FROM patrons p WHERE p.branch_code = $2 AND p.class = 'adult' AND p.balance = 0 AND p.standing = 'active' AND p.card_until > '2027-01-01' AND p.email <> ''
     AND NOT EXISTS (SELECT 1 FROM loans l WHERE l.patron_id = p.id AND l.returned_at IS NULL)
     AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.patron_id = p.id AND h.closed_at IS NULL)
     AND p.card <> ALL ($1) ORDER BY md5(p.card) LIMIT 1`,
    branch,
  );

/** Sign-in name somebody of the demo with one click. */
export async function signIn(page: Page, name: string) {
  await page.context().clearCookies();
  await page.goto("/");
  await page.getByRole("button", { name: new RegExp(name) }).click();
  await expect(page.getByRole("navigation", { name: "Main navigation" })).toBeVisible();
}

export async function workAt(page: Page, branch: string) {
  await page.getByRole("button", { name: /^Branch / }).click();
  await page.getByRole("menuitem", { name: branch }).click();
  await expect(page.getByRole("button", { name: new RegExp(`^Branch ${branch}`) })).toBeVisible();
}

export async function go(page: Page, place: string) {
  await page
    .getByRole("navigation")
    .getByRole("link", { name: new RegExp(`^${place}`) })
    .click();
}

/** Goes to Returns and takes back from the bin; it begins with a patron there, but in a sort room. */
export async function fromBin(page: Page) {
  await go(page, "Returns");
  await page.getByRole("radio", { name: "From a bin" }).click();
}

/** Sits down at a station of the branch. */
export async function sitAt(page: Page, station: string) {
  await page.getByRole("banner").getByRole("button").last().click();
  await page.getByRole("menuitemradio", { name: station }).click();
}

/** Open the simulated pad of a branch, by the address of its page. */
export const padOf = async (branch: string) =>
  (await ask("SELECT pad FROM stations WHERE branch_code = $1 AND pad <> ''", branch)).replace("ws:", "http:");

/** Goes to a tab of the place one is in. */
export const tab = (page: Page, name: string) =>
  page.getByRole("main").getByRole("navigation").getByRole("button", { name, exact: true }).click();

const keyboards = new WeakMap<Page, CDPSession>();

/**
 * Types as a scanner does: fast, ending in Enter, wherever the focus is. A scanner does not wait until the page has taken a
 * key, and keys say when they were pressed, however late they are looked at. What happens in the middle of it takes no time.
 */
export async function scan(page: Page, text: string, inTheMiddle?: () => Promise<unknown>) {
  const known = keyboards.get(page);
  const keyboard = known ?? (await page.context().newCDPSession(page));
  if (!known) keyboards.set(page, keyboard);
  const begun = Date.now() / 1000;
  const press = (letter: string, k: number) => {
    const key = letter === "\r" ? { key: "Enter", code: "Enter", windowsVirtualKeyCode: 13 } : { key: letter };
    const timestamp = begun + k * 0.004;
    return Promise.all([
      keyboard.send("Input.dispatchKeyEvent", { type: "keyDown", text: letter, ...key, timestamp }),
      keyboard.send("Input.dispatchKeyEvent", { type: "keyUp", ...key, timestamp: timestamp + 0.001 }),
    ]);
  };
  const letters = [...text, "\r"];
  const middle = inTheMiddle ? Math.floor(letters.length / 2) : 0;
  await Promise.all(letters.slice(0, middle).map(press));
  await inTheMiddle?.();
  await Promise.all(letters.slice(middle).map((letter, k) => press(letter, middle + k)));
}

export async function clockOn(page: Page, by: "One hour ahead" | "One day ahead" | "One week ahead") {
  await page.getByRole("banner").getByRole("button").last().click();
  const answered = page.waitForResponse("**/api/clock");
  await page.getByRole("menuitem", { name: by }).click();
  await answered; // a second move is begun only after it
}

/** Two such cards. */
export const goodCards = async (branch: string) => [await goodCard(branch), await goodCard(branch)] as const;

/** Several such items. */
export const freeItems = async (branch: string, material: string, count: number) => {
  const found: string[] = [];
  while (found.length < count) found.push(await freeItem(branch, material));
  return found;
};

/** The rows of long lists that are like those before them. */
const further = ["tbody > tr:nth-of-type(n + 13)", "li:nth-of-type(n + 13)"];

/**
 * axe-core finds nothing in the page as it is now, once it has come; of long lists the first dozen is looked at. No page of ours has
 * frames from elsewhere, so that it may do its sums in the page itself, in half the time.
 */
export async function readsWell(page: Page, what: string) {
  const look = async () => {
    await expect(page.locator("[aria-busy]")).toHaveCount(0);
    return further
      .reduce((axe, rows) => axe.exclude(rows), new AxeBuilder({ page }))
      .setLegacyMode()
      .options({ resultTypes: ["violations"] })
      .analyze();
  };
  let found = await look();
  if (found.violations.length > 0) {
    await page.waitForTimeout(1000); // it may have been looked at between two of its parts
    found = await look();
  }
  expect.soft(found.violations.map((v) => `${what}: ${v.id} ${v.nodes[0]?.html}`)).toEqual([]);
}

/** Holds up every answer of the server by so many milliseconds. */
export async function slow(page: Page, milliseconds: number) {
  await page.route("**/api/**", async (route) => {
    if (route.request().url().endsWith("/api/live")) return route.continue();
    await new Promise((go) => setTimeout(go, milliseconds));
    await route.continue().catch(() => {}); // the page may have gone
  });
}

export const tape = (page: Page) => page.getByRole("region", { name: "Scanned items" });
export const asks = (page: Page) => page.getByRole("group", { name: "Question" });
export const scanLine = (page: Page) => page.getByRole("textbox", { name: "Scan field" });
export const branchOf = (page: Page) => page.getByRole("button", { name: /^Branch / });

/** How many open loans a card has. */
export const loansOf = (card: string) =>
  ask(
    "SELECT count(*)::text FROM loans l JOIN patrons p ON p.id = l.patron_id WHERE p.card = $1 AND l.returned_at IS NULL",
    card,
  );

/** Finishes a run from the bin, after the last look at its piles. */
export async function finishBin(page: Page) {
  await page.getByRole("button", { name: "Finish batch" }).click();
  await page.getByRole("button", { name: "Finish anyway" }).click();
}

/** A port that nobody listens on. */
export const freePort = () =>
  new Promise<number>((found) => {
    const s = createServer().listen(0, "127.0.0.1", () => {
      const { port } = s.address() as { port: number };
      s.close(() => found(port));
    });
  });

/** A further copy of the program on the same database, once it answers. */
export async function copyAt(port: number): Promise<ChildProcess> {
  const server = spawn("../build/nevrin", ["demo", "--beside"], {
    env: { ...process.env, NEVRIN_LISTEN: `127.0.0.1:${port}` },
    stdio: "ignore",
  });
  await expect
    .poll(
      () =>
        fetch(`http://127.0.0.1:${port}/health`).then(
          (r) => r.status,
          () => 0,
        ),
      { timeout: 20_000 },
    )
    .toBe(200);
  return server;
}

/** Runs something that starts copies of the program; what they say of where their stand-ins answer goes with them. */
export async function keepingAddresses<T>(run: () => Promise<T>): Promise<T> {
  const records = await ask("SELECT settings->>'records' FROM network");
  try {
    return await run();
  } finally {
    await ask(
      "UPDATE network SET version = version + 1, settings = jsonb_set(settings, '{records}', $1::jsonb) RETURNING version::text",
      records,
    );
  }
}
