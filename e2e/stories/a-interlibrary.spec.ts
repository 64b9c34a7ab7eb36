import { expect, type Page } from "@playwright/test";
import { test } from "../house.ts";
import { ask, freeItem, fromBin, go, goodCard, readsWell, scan, signIn } from "../kit.ts";

const line = (page: Page, text: string) =>
  page.getByRole("region", { name: "Requests" }).getByRole("row").filter({ hasText: text });

async function outside(page: Page) {
  return ((await (await page.request.get("/api/me")).json()) as { outside: string }).outside;
}

test("we ask a partner, receive, lend with days to send it back, renew, take back and send home", async ({ page }) => {
  const reader = await goodCard("HVH");
  await signIn(page, "Caspar Vane");
  await go(page, "Interlibrary");
  await scan(page, "tidal mills");
  await expect(page.getByRole("region", { name: "Port Sabel Public Library" })).toContainText("2004");
  await page.getByRole("region", { name: "Kelmouth College" }).getByRole("radio").check();
  await page.getByLabel("For", { exact: true }).fill(reader);
  await page.getByRole("option", { name: new RegExp(reader) }).click();
  await page.getByRole("button", { name: "Send request to Kelmouth College" }).click();
  const request = line(page, "Tidal Mills of the Outer Coast");
  await expect(request).toContainText("In transit to us", { timeout: 40_000 });
  await expect(request).toContainText("due Tue 17 Nov");
  // Partners never learn for whom.
  const name = await ask("SELECT legal_name FROM patrons WHERE card = $1", reader);
  expect(
    await ask(
      "SELECT count(*)::text FROM exchanges WHERE outgoing AND (body LIKE '%' || $1 || '%' OR body LIKE '%' || $2 || '%')",
      name,
      reader,
    ),
  ).toBe("0");

  await request.getByRole("button", { name: "Mark as received" }).click();
  const sign = page.getByLabel("Destination", { exact: true });
  await expect(sign).toHaveAttribute("data-kind", "hold_shelf");
  const item = await ask(
    "SELECT i.barcode FROM requests r JOIN items i ON i.id = r.item_id ORDER BY r.id DESC LIMIT 1",
  );

  await go(page, "Desk");
  await scan(page, reader);
  await expect(page.getByRole("region", { name: "Patron" })).toContainText("1 ready");
  await scan(page, item);
  const tape = page.getByRole("region", { name: "Scanned items" });
  await expect(tape).toContainText("Due Fri 13 Nov"); // four days before their date, to send it back
  await tape.getByRole("button", { name: /^Why/ }).click();
  await expect(page.getByRole("dialog")).toContainText("The item’s own terms");
  await page.keyboard.press("Escape");

  await go(page, "Interlibrary");
  await expect(request).toContainText("With the patron");
  await expect(request).toContainText("Waiting for partner");
  await request.getByRole("button", { name: "Request renewal" }).click();
  await expect(request).toContainText("Renewal requested; waiting for the lender’s answer");
  await expect(request).toContainText("due Tue 8 Dec", { timeout: 40_000 });
  expect(
    await ask(
      "SELECT due_date::text FROM loans l JOIN items i ON i.id = l.item_id WHERE i.barcode = $1 AND returned_at IS NULL",
      item,
    ),
  ).toBe("2026-12-04");
  await fromBin(page);
  await expect(page.getByText(/^Counted as returned/)).toBeVisible();
  await scan(page, item);
  await expect(sign).toHaveAttribute("data-kind", "outside");
  await expect(sign).toContainText("Kelmouth College");
  await go(page, "Interlibrary");
  await request.getByRole("button", { name: "Mark as returned" }).click();
  await expect(request).toContainText("Returned", { timeout: 40_000 });
});

test("a partner that says no, one that is out of reach, and a book that does not leave", async ({ page }) => {
  const reader = await goodCard("HVH");
  await signIn(page, "Caspar Vane");
  const base = await outside(page);
  await go(page, "Interlibrary");
  await scan(page, "winter choirs");
  await page.getByRole("region", { name: "Port Sabel Public Library" }).getByRole("radio").check();
  await page.getByLabel("For", { exact: true }).fill(reader);
  await page.getByRole("option", { name: new RegExp(reader) }).click();
  await page.request.post(base + "PSABEL/down", { maxRedirects: 0 });
  await page.getByRole("button", { name: "Send request to Port Sabel Public Library" }).click();
  const request = line(page, "Winter Choirs of Port Sabel");
  await expect(request).toContainText("is being resent", { timeout: 40_000 });
  await page.request.post(base + "PSABEL/down", { maxRedirects: 0 });
  await expect(request).toContainText("Declined", { timeout: 40_000 });
  await expect(request).toContainText("Their rules do not allow it.");
  await expect(request).toContainText("Waiting for us");
  await request.getByRole("button", { name: "Request elsewhere" }).click();
  await expect(request).toContainText("Ended");
  await expect(page.getByRole("region", { name: "Request from a partner" })).toBeVisible();
  await expect(page.getByRole("region", { name: "Port Sabel Public Library" })).toContainText(
    "Declined on Tue 6 Oct: Their rules do not allow it.",
  );
});

test("a partner asks us: yes, sent, back in one scan; and no with a reason", async ({ page }) => {
  const item = await freeItem("HVH", "book");
  const title = await ask("SELECT t.name FROM items i JOIN titles t ON t.id = i.title_id WHERE i.barcode = $1", item);
  await signIn(page, "Caspar Vane");
  const base = await outside(page);
  await page.request.post(base + "KELMOUTH/ask", { form: { title }, maxRedirects: 0 });
  await page.request.post(base + "PSABEL/ask", { form: { title: "A Book That Nobody Wrote" }, maxRedirects: 0 });
  await go(page, "Interlibrary");
  const theirs = line(page, title).filter({ hasText: "lending" });
  await expect(theirs).toContainText("Waiting for us", { timeout: 40_000 });
  await theirs.getByRole("button", { name: "Answer" }).click();
  await page.getByRole("listitem").filter({ hasText: item }).getByRole("button", { name: "Supply this copy" }).click();
  await theirs.getByRole("button", { name: "Ship" }).click();
  await expect(theirs).toContainText("With them", { timeout: 40_000 });
  await expect(theirs).toContainText("due Tue 3 Nov"); // four weeks, by the rule for partners

  const nobody = line(page, "A Book That Nobody Wrote");
  await nobody.getByRole("button", { name: "Answer" }).click();
  await expect(page.getByText("No copy is on a shelf here.")).toBeVisible();
  await page.getByRole("button", { name: "Decline" }).click();
  await expect(page.getByText("Choose a reason.")).toBeVisible();
  await page.getByLabel("Reason", { exact: true }).selectOption("NotHeld");
  await page.getByRole("button", { name: "Decline" }).click();
  await expect(nobody).toContainText("Declined by us");

  await fromBin(page);
  await expect(page.getByText(/^Counted as returned/)).toBeVisible();
  await scan(page, item);
  await expect(page.getByLabel("Destination", { exact: true })).toHaveAttribute("data-kind", "shelf");
  await go(page, "Interlibrary");
  await expect(theirs).toContainText("Returned");
  await readsWell(page, "interlibrary");
});
