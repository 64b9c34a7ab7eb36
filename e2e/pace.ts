import { readdirSync, readFileSync, statSync } from "node:fs";
import { gzipSync } from "node:zlib";
import { expect, test } from "@playwright/test";
import { freeItems, go, goodCard, scan, signIn } from "./kit.ts";

/**
 * How fast the front end is, measured in the browser: a scan from its last key to its line and to its answer painted, ten
 * codes a second, next to what the server alone takes for it; ten thousand rows; and how much comes before the first place.
 */

const say = (name: string, value: string) => console.log(`${name.padEnd(52)} ${value}`);
const at = (sorted: number[], share: number) =>
  sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * share))] ?? NaN;
const spread = (all: number[]) => {
  const sorted = [...all].sort((a, b) => a - b);
  return `median ${at(sorted, 0.5).toFixed(0)} ms, 95th ${at(sorted, 0.95).toFixed(0)} ms`;
};

test("scans, ten a second", async ({ page }) => {
  const items = await freeItems("SLM", "book", 100);
  const cards: string[] = [];
  while (cards.length < 12) cards.push(await goodCard("SLM"));
  await signIn(page, "Jory Tamm");
  await go(page, "Desk");
  await page.evaluate(() => {
    const times: Record<string, { key: number; line?: number; answer?: number }> = {};
    Object.assign(window, { times });
    let typed = "";
    window.addEventListener(
      "keydown",
      (e) => {
        if (e.key !== "Enter") {
          typed += e.key;
          return;
        }
        times[typed.slice(-14)] = { key: e.timeStamp };
        typed = "";
      },
      true,
    );
    const painted = (then: (at: number) => void) =>
      requestAnimationFrame(() => setTimeout(() => then(performance.now())));
    new MutationObserver(() => {
      for (const line of document.querySelectorAll('[aria-label="Scanned items"] li')) {
        const code = /\d{14}/.exec(line.textContent)?.[0];
        const known = code && times[code];
        if (!known) continue;
        if (!known.line) painted((now) => (known.line ??= now));
        if (!known.answer && line.textContent.includes("Lent")) painted((now) => (known.answer ??= now));
      }
    }).observe(document.body, { subtree: true, childList: true, characterData: true });
  });
  let requests = 0;
  page.on("request", (r) => {
    if (r.url().includes("/api/")) requests++;
  });
  let next = Date.now();
  for (const [k, item] of items.entries()) {
    // A limit of loans must not be met: a new card now and then.
    if (k % 10 === 0) {
      await scan(page, cards[k / 10]!);
      await page.waitForTimeout(600);
      next = Date.now();
    }
    await scan(page, item);
    next += 100;
    await page.waitForTimeout(Math.max(0, next - Date.now()));
  }
  await page.waitForTimeout(2000);
  const times = await page.evaluate(
    () => (window as unknown as { times: Record<string, { key: number; line?: number; answer?: number }> }).times,
  );
  const lines = items.flatMap((i) => (times[i]?.line ? [times[i].line - times[i].key] : []));
  const answers = items.flatMap((i) => (times[i]?.answer ? [times[i].answer - times[i].key] : []));
  const server = await page.evaluate(() =>
    performance
      .getEntriesByType("resource")
      .filter((e) => e.name.includes("/api/desk/scan"))
      .map((e) => e.duration),
  );
  expect(lines.length).toBeGreaterThan(90);
  say("From the last key to the line on the tape", spread(lines));
  say("From the last key to the answer painted", spread(answers));
  say("The server's part of it", spread(server));
  const median = (all: number[]) =>
    at(
      [...all].sort((a, b) => a - b),
      0.5,
    );
  say("Answer painted as a multiple of the server's part", (median(answers) / median(server)).toFixed(2));
  say("Requests for a scan, live counts included", (requests / (items.length + items.length / 10)).toFixed(2));
});

test("ten thousand rows", async ({ page }) => {
  await signIn(page, "Jory Tamm");
  const rows = Array.from({ length: 10_000 }, (_, k) => ({
    id: k + 1,
    title_id: 1,
    title: `Title ${(k * 7919) % 10_000}`,
    patron_id: 1,
    patron: `Reader ${k}`,
    state: "waiting",
    says: "Waiting for a copy",
    waiting: k,
    lapsed: false,
    placed_at: "2026-10-01T12:00:00Z",
    pickup: "SLM",
  }));
  await page.route(/\/api\/holds\?/, (r) => r.fulfill({ json: { rows, next: "" } }));
  const begun = Date.now();
  await go(page, "Holds");
  const list = page.getByRole("table", { name: "Open holds" });
  await expect(list).toHaveAttribute("aria-rowcount", "10001");
  say("10,000 rows from the click to the list", `${Date.now() - begun} ms`);
  const frames = await page.evaluate(async () => {
    const frame = document.querySelector("table[aria-label='Open holds']")?.parentElement;
    if (!frame) return [];
    const gaps: number[] = [];
    let last = performance.now();
    for (let k = 0; k < 180; k++) {
      frame.scrollTop += 900;
      await new Promise((go) => requestAnimationFrame(go));
      gaps.push(performance.now() - last);
      last = performance.now();
    }
    return gaps;
  });
  say("A frame while they scroll", spread(frames));
  const sorting = await page.evaluate(async () => {
    const head = [...document.querySelectorAll<HTMLButtonElement>("th button")].find((b) =>
      b.textContent.startsWith("Title"),
    );
    const before = performance.now();
    head?.click();
    await new Promise((go) => requestAnimationFrame(() => setTimeout(go)));
    return performance.now() - before;
  });
  say("Sorting them", `${sorting.toFixed(0)} ms`);
  expect(await list.getByRole("row").count()).toBeLessThan(120);
});

test("what comes first", async () => {
  const folder = "../web/dist/app";
  const page = readFileSync(`${folder}/index.html`, "utf8");
  const first = [...page.matchAll(/(?:src|href)="(\/assets\/[^"]+\.js)"/g)].map((m) => m[1]!);
  const sizes = first.map((f) => [statSync(folder + f).size, gzipSync(readFileSync(folder + f)).length] as const);
  const all = readdirSync(`${folder}/assets`).filter((f) => f.endsWith(".js"));
  const kB = (n: number) => `${(n / 1000).toFixed(0)} kB`;
  say(
    "Scripts before the first place",
    `${kB(sizes.reduce((n, s) => n + s[0], 0))}, ${kB(sizes.reduce((n, s) => n + s[1], 0))} compressed`,
  );
  say("All scripts", kB(all.reduce((n, f) => n + statSync(`${folder}/assets/${f}`).size, 0)));
  expect(first.length).toBeGreaterThan(0);
});
