import { expect, type APIRequestContext, type Page } from "@playwright/test";
import { test } from "../house.ts";
import { ask, asks, freeItems, go, goodCards, padOf, readsWell, scan, signIn, sitAt, tab, tape, workAt } from "../kit";

/** Somebody sits down at the front desk of Havenhead, which has a pad and a card terminal. */
async function atFrontDesk(page: Page) {
  await signIn(page, "Bea Lindgard");
  await go(page, "Desk");
  await sitAt(page, "Front desk");
}

/** Whoever owes something comes to that desk, and is about to pay. */
async function comesToPay(page: Page, card: string) {
  await atFrontDesk(page);
  await scan(page, card);
  await page.getByRole("button", { name: "Pay or waive" }).click();
}

const bar = (page: Page) => page.getByRole("region", { name: "Pad" });

const onPad = (at: string, request: APIRequestContext) => ({
  lay: (...things: string[]) => request.post(`${at}/lay`, { form: { things: things.join("\n") } }),
  lift: (number?: string) => request.post(`${at}/lift`, { form: number ? { tag: `E0${number}` } : {} }),
  stick: () => request.post(`${at}/stick`),
  says: async () => (await request.get(at)).text(),
});

test("a pile on the pad is lent at once, its security goes off, and what carries no tag is missed", async ({
  page,
  request,
}) => {
  const [card, other] = await goodCards("HVH");
  const items = await freeItems("HVH", "book", 4);
  const [first = "", second = "", third = "", bare = ""] = items;
  const pad = onPad(await padOf("HVH"), request);
  await pad.lift();
  await atFrontDesk(page);
  await expect(bar(page)).toContainText("The pad is empty");
  // Laid on before anybody's card: it waits.
  await pad.lay(first, second);
  await expect(bar(page)).toContainText("2 items are on the pad. Scan the card to lend the items on the pad.");
  await scan(page, card);
  await expect(tape(page).getByText("Lent", { exact: true })).toHaveCount(2);
  await expect.poll(pad.says).toContain(`${first}, security off`);
  await expect.poll(pad.says).toContain(`${second}, security off`);
  // Four lie there and three answer: one carries no tag, and is scanned.
  await pad.lay(third, "?");
  await expect(tape(page).getByText("Lent", { exact: true })).toHaveCount(3);
  await expect(bar(page)).toContainText("1 tag does not answer. Turn it over, or scan the label.");
  await page.getByLabel("Items you count").fill("5");
  await expect(bar(page)).toContainText("1 item has no readable tag. Scan the label.");
  await readsWell(page, "a pile on the pad");
  await scan(page, bare);
  await expect(tape(page).getByText("Lent", { exact: true })).toHaveCount(4);
  // Undone: the gate hears it again.
  await tape(page)
    .getByRole("listitem")
    .filter({ hasText: "Undo" })
    .last()
    .getByRole("button", { name: "Undo" })
    .click();
  await expect(tape(page).getByText("Undone")).toBeVisible();
  await expect.poll(pad.says).toContain("security on");
  // The next patron gets nothing of what lies there still.
  await page.reload();
  await scan(page, other);
  await expect(page.getByRole("region", { name: "Scanned items" })).toContainText("Nothing scanned yet");
  await expect(bar(page)).toContainText("4 items are on the pad");
  await pad.lift();
  await expect(bar(page)).toContainText("The pad is empty");
});

test("boxed things are counted by their tags, and what was lifted too early or did not take it is told", async ({
  page,
  request,
}) => {
  const [card] = await goodCards("HVH");
  const [box = "", plain = ""] = await freeItems("HVH", "book", 2);
  await ask("UPDATE items SET parts = 3, parts_say = 'Board, dice, cards' WHERE barcode = $1 RETURNING id::text", box);
  const pad = onPad(await padOf("HVH"), request);
  await pad.lift();
  await atFrontDesk(page);
  await expect(bar(page)).toContainText("The pad is empty");
  await scan(page, card);
  // Two of three parts: asked about, with what was counted.
  await pad.lay(`${box} 1/3`, `${box} 2/3`);
  await expect(bar(page)).toContainText("2 of 3 parts lie there");
  await expect(asks(page)).toContainText("The pad has counted 2, and it has 3 parts: Board, dice, cards.");
  await asks(page).getByRole("button", { name: "Not now" }).click();
  await pad.lift();
  // All three: nobody is asked.
  await pad.lay(`${box} 1/3`, `${box} 2/3`, `${box} 3/3`);
  await expect(tape(page).getByText("Lent", { exact: true })).toHaveCount(1);
  await expect.poll(pad.says).toContain("part 3 of 3, security off");
  // A tag that does not take it.
  await pad.stick();
  await pad.lay(plain);
  await expect(bar(page)).toContainText("its security is still on; the tag did not take it.");
  await pad.lift(plain);
  await expect(bar(page)).toContainText("its security is still on. Lay it on the pad again.");
  await pad.lay(plain);
  await expect.poll(pad.says).toContain(`${plain}, security off`);
  await expect(bar(page)).not.toContainText("its security is still");
  await expect(tape(page).getByText("Lent", { exact: true })).toHaveCount(2); // and not scanned once more
  // What was lent and lies there still is not undone by going to the other situation.
  await go(page, "Returns");
  await expect(bar(page)).toContainText("All done; what is put on again is read again.");
  await pad.lift();
  await expect(bar(page)).toContainText("The pad is empty");
  await expect(tape(page).getByText(plain)).toHaveCount(0);
  // Undone in a pile: on again.
  await pad.lay(plain, `${box} 1/3`, `${box} 2/3`, `${box} 3/3`);
  await expect.poll(pad.says).toContain(`${plain}, security on`);
  await expect.poll(pad.says).toContain("part 3 of 3, security on");
  await expect(tape(page)).toContainText(plain);
  await pad.lift();
});

test("a pile fetched from the shelves is laid on the pad, and each thing says where it goes", async ({
  page,
  request,
}) => {
  const fetched = (
    await ask(
      `SELECT string_agg(barcode, ' ') FROM (SELECT i.barcode FROM holds h JOIN items i ON i.id = h.item_id
         WHERE h.fetch_at = 'HVH' ORDER BY h.id LIMIT 2) f`,
    )
  ).split(" ");
  expect(fetched).toHaveLength(2);
  const pad = onPad(await padOf("HVH"), request);
  await pad.lift();
  await atFrontDesk(page);
  await page.goto("/fetch");
  await expect(bar(page)).toContainText("The pad is empty");
  for (const number of fetched) await expect(page.getByRole("row").filter({ hasText: number })).toBeVisible();
  await pad.lay(...fetched);
  const scanned = page.getByRole("region", { name: "Scanned here" }).getByRole("listitem");
  await expect(scanned).toHaveCount(2);
  for (const number of fetched) await expect(page.getByRole("row").filter({ hasText: number })).toHaveCount(0);
  await expect(bar(page)).toContainText("All done; what is put on again is read again.");
  await readsWell(page, "a pile from the shelves");
  // In another place of the kind they are not taken once more while they lie there.
  await page.goto("/courier");
  await expect(bar(page)).toContainText("All done; what is put on again is read again.");
  await expect(scanned).toHaveCount(0);
  await pad.lift();
});

test("one window of a station has the pad, and a lost pad stops nobody", async ({ page, context, request }) => {
  const pad = onPad(await padOf("HVH"), request);
  await pad.lift();
  await atFrontDesk(page);
  await expect(bar(page)).toContainText("The pad is empty");
  const second = await context.newPage();
  await second.goto("/desk");
  await expect(bar(second)).toContainText("The pad is empty");
  await expect(bar(page)).toContainText("Another window of this station uses the pad.");
  await bar(page).getByRole("button", { name: "Use the pad here" }).click();
  await expect(bar(second)).toContainText("Another window of this station uses the pad.");
  await second.close();
  await expect(bar(page)).toContainText("The pad is empty");
  // Elsewhere there is no pad at all.
  await workAt(page, "Quarrow");
  await expect(bar(page)).toBeHidden();
  // An address where nothing listens.
  await ask(
    "UPDATE stations SET pad = 'ws://127.0.0.1:9/' WHERE branch_code = 'SLM' AND name = 'Counter' RETURNING id::text",
  );
  await ask("UPDATE network SET version = version + 1 RETURNING 'set'");
  await workAt(page, "Saltmere");
  await sitAt(page, "Counter");
  await expect(bar(page)).toContainText("The pad does not answer. Reconnecting; scan the labels meanwhile.");
});

/** What is done at the terminal of the front desk, on the page of the simulated ones. */
const terminals = (page: Page) => {
  const deed = async (what: string) => {
    const { terminals: at } = (await (await page.request.get("/api/me")).json()) as { terminals: string };
    return page.request.post(`${at}HVH, Front desk/${what}`);
  };
  return {
    card: () => deed("card"),
    refuse: () => deed("refuse"),
    loseAnswer: () => deed("lose"),
    outOfReach: () => deed("down"),
    says: async () => {
      const { terminals: at } = (await (await page.request.get("/api/me")).json()) as { terminals: string };
      return (await page.request.get(at)).text();
    },
  };
};

/** Somebody who owes exactly this, and nothing else. */
async function owing(sum: number) {
  const [card] = await goodCards("HVH");
  await ask(
    `INSERT INTO ledger (patron_id, kind, amount, about, reason, at) SELECT id, 'charge', $2, 'manual', 'A torn map', '2026-10-01'
     FROM patrons WHERE card = $1 RETURNING id::text`,
    card,
    sum,
  );
  return card;
}

const balanceOf = (card: string) => ask("SELECT balance::text FROM patrons WHERE card = $1", card);

async function payAtTerminal(page: Page, sum: string) {
  await page.getByRole("radio", { name: "Card, by terminal" }).check({ force: true });
  await page.getByRole("button", { name: `Charge card: $${sum}` }).click();
}

test("a card is paid with at the terminal, while scanning goes on; a refused one owes still", async ({ page }) => {
  const card = await owing(350);
  const [other] = await goodCards("HVH");
  const [item = ""] = await freeItems("HVH", "book", 1);
  const at = terminals(page);
  await comesToPay(page, card);
  await payAtTerminal(page, "3.50");
  const status = page.getByRole("status").filter({ hasText: "by card" });
  await expect(status).toContainText("$3.50 by card. Waiting for a card at the terminal.");
  await expect.poll(at.says).toContain("It waits for a card.");
  // The person looks for their card; what they take home is scanned meanwhile.
  await scan(page, item);
  await expect(tape(page).getByText("Lent", { exact: true })).toHaveCount(1);
  // Another person comes before the first has found their card: it is said whose payment the terminal still shows.
  await scan(page, other);
  const others = page.getByRole("region", { name: "Card payments of others" });
  await expect(others).toContainText("$3.50 by card. Waiting for a card at the terminal.");
  await readsWell(page, "paying at the terminal");
  await scan(page, card);
  await expect(others).toBeHidden();
  await at.refuse();
  await expect(status).toContainText("The card was refused. Not paid.");
  expect(await balanceOf(card)).toBe("350");
  await payAtTerminal(page, "3.50");
  await expect.poll(at.says).toContain("It waits for a card.");
  await at.card();
  await expect(status).toContainText("Received $3.50 by card.");
  expect(await balanceOf(card)).toBe("0");
  const reference = await ask(
    `SELECT r.reference FROM receipts r JOIN ledger l ON l.receipt_id = r.id JOIN patrons p ON p.id = l.patron_id
     WHERE p.card = $1 AND r.means = 'card' ORDER BY r.id DESC LIMIT 1`,
    card,
  );
  expect(reference).toMatch(/^A\d{5}$/);
});

test("the answer of the terminal gets lost: it is asked how it ended, and the card is charged once", async ({
  page,
}) => {
  const card = await owing(425);
  const at = terminals(page);
  await comesToPay(page, card);
  const approved = async () => (await at.says()).match(/4\.25 CAD, approved/g)?.length ?? 0;
  const before = await approved();
  await at.loseAnswer();
  await payAtTerminal(page, "4.25");
  await expect.poll(at.says).toContain("It waits for a card.");
  // The page goes as well; the payment is found again with the person.
  await page.reload();
  await page.getByRole("button", { name: "Pay or waive" }).click();
  const status = page.getByRole("status").filter({ hasText: "by card" });
  await expect(status).toContainText("$4.25 by card.");
  await at.card();
  await expect(status).toContainText("Received $4.25 by card.");
  expect(await balanceOf(card)).toBe("0");
  expect(await approved()).toBe(before + 1);
});

test("called off at the desk; and a terminal out of reach lets somebody say how it ended", async ({ page }) => {
  const card = await owing(275);
  const at = terminals(page);
  await comesToPay(page, card);
  await payAtTerminal(page, "2.75");
  await expect.poll(at.says).toContain("It waits for a card.");
  const status = page.getByRole("status").filter({ hasText: "by card" });
  await status.getByRole("button", { name: "Cancel payment" }).click();
  await expect(status).toContainText("Called off. Not paid.");
  expect(await at.says()).toContain("2.75 CAD, reversed");
  await at.outOfReach();
  await payAtTerminal(page, "2.75");
  await expect(status).toContainText("The terminal does not say how it ended. Asking again.");
  // It stands under Money, too, for who comes by later.
  await go(page, "Money");
  await tab(page, "Till");
  const list = page.getByRole("region", { name: "At card terminals" });
  await list.getByRole("button", { name: "Record outcome" }).click();
  await list.getByRole("combobox", { name: "Outcome" }).selectOption("The card was charged");
  await list.getByLabel("How do you know?").fill("Slip of the terminal");
  await list.getByRole("button", { name: "Save outcome" }).click();
  await expect(list).toContainText("Enter the number on the terminal’s slip.");
  await list.getByLabel("Number on the terminal’s slip").fill("B 4471");
  await list.getByRole("button", { name: "Save outcome" }).click();
  await expect(list).toContainText("Received $2.75 by card.");
  expect(await balanceOf(card)).toBe("0");
  await at.outOfReach();
});

test("the addresses of what stands at a station are looked at before they are kept", async ({ page }) => {
  await signIn(page, "Ada Pellam");
  await go(page, "Network");
  await tab(page, "Stations");
  const row = page.getByRole("listitem").filter({ hasText: "Thistle Bay, Counter" });
  await row.getByRole("button", { name: /edit/i }).click();
  const form = page.getByRole("form", { name: "Edit Counter" });
  await form.getByLabel(/^RFID pad address/).fill("ws://pad.invalid:7411/");
  await form.getByRole("button", { name: "Save" }).click();
  await expect(form).toContainText("expected one at the station itself, such as ws://127.0.0.1:7411/pad");
  await form.getByLabel(/^RFID pad address/).fill("ws://127.0.0.1:7411/pad");
  await form.getByLabel(/^Card terminal address/).fill("10.20.3.15");
  await form.getByRole("button", { name: "Save" }).click();
  await expect(form).toContainText("expected a host and a port, such as 10.20.3.15:7500");
  await form.getByLabel(/^Card terminal address/).fill("10.20.3.15:7500");
  await form.getByRole("button", { name: "Save" }).click();
  await expect(row).toContainText("a pad, a card terminal");
});
