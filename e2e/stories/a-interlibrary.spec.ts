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
  await expect(request).toContainText("Waiting for patron");
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
  await scan(page, item);
  await expect(page.getByText("Pack for Kelmouth College")).toBeVisible();
  await expect(request).toContainText("Packed at Havenhead, to hand over");
  await request.getByRole("button", { name: "Unpack" }).click();
  await expect(request).toContainText("Here, to be sent back");
  await scan(page, item);
  await page.getByRole("button", { name: "Parcels (1)" }).click();
  const parcel = page.getByRole("region", { name: "Kelmouth College" });
  await expect(parcel).toContainText("goes home");
  expect((await page.request.get("/api/interlibrary/papers.pdf")).headers()["content-type"]).toContain(
    "application/pdf",
  );
  await parcel.getByRole("button", { name: "Hand over" }).click();
  await expect(page.getByText("Nothing is packed.")).toBeVisible();
  await page.getByRole("button", { name: "Open", exact: true }).click();
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

test("partners ask us: proposed, answered at once, fetched, packed, sent, back in one scan; and no with a reason", async ({
  page,
}) => {
  const item = await freeItem("HVH", "book");
  const title = await ask("SELECT t.name FROM items i JOIN titles t ON t.id = i.title_id WHERE i.barcode = $1", item);
  await signIn(page, "Caspar Vane");
  const base = await outside(page);
  await page.request.post(base + "KELMOUTH/ask", { form: { title }, maxRedirects: 0 });
  await page.request.post(base + "PSABEL/ask", { form: { title: "A Book That Nobody Wrote" }, maxRedirects: 0 });
  await go(page, "Interlibrary");
  await page.getByRole("button", { name: /^New requests/ }).click();
  const proposed = (text: string) =>
    page.getByRole("region", { name: "New requests" }).getByRole("row").filter({ hasText: text });
  await expect(proposed(title)).toContainText("Kelmouth College", { timeout: 40_000 });
  await expect(proposed(title)).toContainText("Same title; there is no author to compare");
  await expect(proposed("A Book That Nobody Wrote")).toContainText("No: We do not have it", { timeout: 40_000 });

  // The copy is chosen by hand.
  await proposed(title).getByRole("link", { name: "Answer" }).click();
  await page.getByRole("button", { name: `Supply ${item}` }).click();
  await expect(proposed("A Book That Nobody Wrote")).toBeVisible();

  // A no needs a reason.
  await proposed("A Book That Nobody Wrote").getByRole("link", { name: "Answer" }).click();
  await expect(page.getByText("We have nothing by this title or its numbers.")).toBeVisible();
  await page.getByRole("button", { name: "Decline" }).click();
  await expect(page.getByText("Choose a reason.")).toBeVisible();
  await page.getByLabel("Reason", { exact: true }).selectOption("NotHeld");
  await page.getByRole("button", { name: "Decline" }).click();
  await page.getByRole("button", { name: "Open", exact: true }).click();
  await expect(line(page, "A Book That Nobody Wrote")).toContainText("Declined by us");

  // It is on the fetch list of its branch, and then in a parcel.
  const theirs = line(page, title).filter({ hasText: "lending" });
  await expect(theirs).toContainText("On the fetch list of Havenhead");
  await go(page, "Fetch list");
  await expect(page.getByRole("row").filter({ hasText: item })).toContainText("interlibrary");
  await scan(page, item);
  const sign = page.getByLabel("Destination", { exact: true });
  await expect(sign).toContainText("To pack for");
  await expect(sign).toContainText("Kelmouth College");
  await go(page, "Interlibrary");
  await expect(theirs).toContainText("At Havenhead, to pack");
  await scan(page, item);
  await expect(theirs).toContainText("Packed at Havenhead, to hand over, due Tue 3 Nov"); // four weeks, by the rule for partners
  await theirs.getByRole("button", { name: "Hand over" }).click();
  await expect(theirs).toContainText("With them", { timeout: 40_000 });
  await theirs.getByRole("link", { name: title }).click();
  const messages = page.getByRole("region", { name: "Messages" });
  await expect(messages).toContainText("Sent: due Tue 3 Nov");
  await messages.getByText("As it was sent (Loaned)").click();
  await expect(messages).toContainText("<status>Loaned</status>");

  await fromBin(page);
  await expect(page.getByText(/^Counted as returned/)).toBeVisible();
  await scan(page, item);
  await expect(sign).toHaveAttribute("data-kind", "shelf");
  await go(page, "Interlibrary");
  await expect(theirs).toContainText("Returned");
  await readsWell(page, "interlibrary");
});

test("many requests are answered at once; a list is narrowed, saved and found again", async ({ page }) => {
  await signIn(page, "Caspar Vane");
  await go(page, "Interlibrary");
  await page.getByRole("button", { name: /^New requests/ }).click();
  const list = page.getByRole("region", { name: "New requests" });
  await expect(list.getByRole("row")).not.toHaveCount(0);
  await list.getByRole("button", { name: /^Answer all \d+ as proposed$/ }).click();
  await expect(list).toContainText("No new requests.");
  expect(await ask("SELECT count(*)::text FROM requests WHERE role = 'supplying' AND stage = 'asked'")).toBe("0");
  await page.getByRole("button", { name: "Open", exact: true }).click();
  await page.getByLabel("Which way").selectOption("supplying");
  await page.getByLabel(/^Partner/).selectOption("Kelmouth College");
  await expect(page.getByRole("region", { name: "Requests" })).not.toContainText("borrowing");
  await page.getByRole("button", { name: "Save this list" }).click();
  await page.getByLabel("Name of the list").fill("Kelmouth asks");
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await page.getByRole("button", { name: "Clear", exact: true }).click();
  await expect(page.getByRole("region", { name: "Requests" })).toContainText("borrowing");
  await page.getByRole("button", { name: "Kelmouth asks", exact: true }).click();
  await expect(page.getByLabel("Which way")).toHaveValue("supplying");
  await page.getByLabel("Title, number or patron").fill("nothing has this name");
  await expect(page.getByText("No request matches.")).toBeVisible();
});
