import { expect } from "@playwright/test";
import { test } from "../house.ts";
import { Secret, TOTP } from "otpauth";
import { ask, go, goodCard, readsWell, scan, signIn, tab, tape, workAt } from "../kit.ts";

/** An administrator sets the network up and keeps it. */

test("a branch is opened, renamed, given a station, closed for good and brought back", async ({ page }) => {
  await signIn(page, "Ada Pellam");
  await go(page, "Network");
  await page.getByRole("button", { name: "Add a branch" }).click();
  const form = page.getByRole("form", { name: "Add a branch" });
  await form.getByLabel("Name", { exact: true }).fill("saltmere");
  await form.getByLabel(/^Code/).fill("gul");
  await form.getByRole("button", { name: "Add branch" }).click();
  await expect(form.getByRole("alert")).toContainText("SLM is already called Saltmere");
  await form.getByLabel("Name", { exact: true }).fill("Gull Point");
  await form.getByRole("button", { name: "Add branch" }).click();
  const gull = page.getByRole("listitem").filter({ hasText: "GUL" });
  await expect(gull).toContainText("Gull Point");
  await expect(gull).toContainText("No hours yet: closed every day");
  await expect(gull).toContainText("No courier run stops here yet");

  await tab(page, "Stations");
  await page.getByRole("button", { name: "Add station" }).click();
  const station = page.getByRole("form", { name: "Add station" });
  await station.getByLabel("Branch").selectOption("Gull Point");
  await station.getByLabel("Name", { exact: true }).fill("Hatch");
  await station.getByLabel("Print slips automatically").check();
  await station.getByRole("button", { name: "Add" }).click();
  await expect(page.getByRole("listitem").filter({ hasText: "Gull Point, Hatch" })).toContainText("automatically");
  await workAt(page, "Gull Point");
  await page.getByRole("button", { name: "Ada Pellam, administrator" }).click();
  await page.getByRole("menuitemradio", { name: "Hatch" }).click();
  await page.getByRole("button", { name: "Ada Pellam, administrator" }).click();
  await expect(page.getByRole("menuitemcheckbox", { name: /^Print slips automatically/ })).toBeChecked();
  await page.keyboard.press("Escape");
  await workAt(page, "Havenhead");

  await tab(page, "Branches");
  await gull.getByRole("button", { name: "Edit Gull Point" }).click();
  await page.getByRole("button", { name: "Close Gull Point permanently" }).click();
  const closing = page.getByRole("region", { name: "Closing Gull Point" });
  await closing.getByRole("button", { name: "Close permanently" }).click();
  await expect(closing.getByRole("alert")).toContainText("Choose a branch.");
  await closing.getByLabel("Move all of that to").selectOption("Saltmere");
  await closing.getByRole("button", { name: "Close permanently" }).click();
  await expect(gull).toContainText("Saltmere follows");
  await page.getByRole("button", { name: /^Branch / }).click();
  await expect(page.getByRole("menuitem", { name: "Gull Point" })).toHaveCount(0);
  await page.keyboard.press("Escape");

  await tab(page, "Change log");
  const first = page.getByRole("listitem").filter({ hasText: "Branch Gull Point" }).first();
  await expect(first).toContainText("follows: nothing → SLM");
  await first.getByRole("button", { name: "Undo" }).click();
  await expect(page.getByRole("listitem").filter({ hasText: "Branch Gull Point" }).first()).toContainText(
    "undoes a change",
  );
  await tab(page, "Branches");
  await expect(gull).not.toContainText("Closed permanently");
});

test("a class that is in use stays, and two administrators at once do not undo each other's work", async ({
  page,
  browser,
}) => {
  await signIn(page, "Ada Pellam");
  await go(page, "Network");
  await tab(page, "Classes");
  await page.getByRole("button", { name: "Edit Educator" }).click();
  await page.getByRole("button", { name: "Remove" }).click();
  await expect(page.getByRole("alert")).toContainText("Educator cannot be removed");

  const other = await (await browser.newContext()).newPage();
  await signIn(other, "Ada Pellam");
  await go(other, "Network");
  await tab(other, "Classes");
  for (const p of [other, page]) {
    if (p === other) await p.getByRole("button", { name: "Edit Educator" }).click();
    await p
      .getByRole("form")
      .getByLabel("Name", { exact: true })
      .fill(p === other ? "Teacher" : "Tutor");
    await p.getByRole("form").getByRole("button", { name: "Save" }).click();
    if (p !== other) continue;
    await expect(p.getByText("Teacher", { exact: true })).toBeVisible();
    // The first window hears of it and takes the list anew, while its form stays as it was opened.
    await page.evaluate(() => document.dispatchEvent(new Event("visibilitychange")));
  }
  await expect(page.getByText("Ada Pellam changed this")).toBeVisible();
  // Looked at again, by the same window: it shows what the other has kept, and nothing was overwritten.
  await page.reload();
  await expect(page.getByText("Teacher", { exact: true })).toBeVisible();
  await tab(other, "Change log");
  await other
    .getByRole("listitem")
    .filter({ hasText: "Class Teacher" })
    .first()
    .getByRole("button", { name: "Undo" })
    .click();
  await tab(other, "Classes");
  await expect(other.getByText("Educator", { exact: true })).toBeVisible();
  await other.context().close();
});

test("cards of a library outside are read once their numbers are settled, and numbers in use cannot be removed", async ({
  page,
}) => {
  const card = await goodCard("HVH");
  await signIn(page, "Ada Pellam");
  await go(page, "Network");
  await tab(page, "Numbers");
  await page.getByRole("button", { name: "Edit Cards" }).click();
  await page.getByRole("form").getByLabel("Starts with").fill("21847");
  await page.getByRole("form").getByRole("button", { name: "Save" }).click();
  await expect(page.getByRole("alert")).toContainText("Numbers in use would no longer be read");
  await page.getByRole("button", { name: "Add a format" }).click();
  const form = page.getByRole("form");
  await form.getByLabel("Name", { exact: true }).fill("Cards of Port Sabel");
  await form.getByLabel("Use").selectOption("Older: still read");
  await form.getByLabel("Starts with").fill("ps");
  await form.getByLabel("Total length").fill("8");
  await form.getByLabel("Check digit").selectOption("Modulus 11, growing weights");
  await form.getByLabel("Name of the other library, if these are its cards").fill("Port Sabel Public Library");
  await form.getByRole("button", { name: "Save" }).click();
  await expect(page.getByText("Cards of Port Sabel", { exact: true })).toBeVisible();
  await go(page, "Desk");
  // 1 2 3 4 5 with weights 6 to 2: 6 + 10 + 12 + 12 + 10 = 50, and 5 makes 55.
  await scan(page, "PS123455");
  await expect(tape(page)).toContainText("A card of Port Sabel Public Library");
  await scan(page, card);
  await expect(page.getByRole("region", { name: "Patron" })).toContainText(
    `${card[0]} ${card.slice(1, 5)} ${card.slice(5, 10)} ${card.slice(10)}`,
  );
});

test("somebody new sets up a second factor because their role needs one, and signs in with it", async ({
  page,
  browser,
}) => {
  await signIn(page, "Ada Pellam");
  await go(page, "Network");
  await tab(page, "Settings");
  const who = page.getByRole("group", { name: /^Roles that need a second factor/ });
  await who.getByRole("button", { name: "desk" }).click();
  await page.getByRole("button", { name: "Save stations and sign-in" }).click();
  await tab(page, "Staff");
  await page.getByRole("button", { name: "Add person" }).click();
  const form = page.getByRole("form", { name: "Add person" });
  await form.getByLabel("Name", { exact: true }).fill("Nell Harbour");
  await form.getByLabel("Sign-in name").fill("nell");
  await form.getByLabel("Waives up to").fill("1,00");
  await form.getByRole("button", { name: "Add" }).click();
  const link = /http\S+/.exec((await page.getByRole("status").filter({ hasText: "Nell" }).textContent()) ?? "")?.[0];

  const hers = await (await browser.newContext()).newPage();
  await hers.goto(link!);
  const password = "ferry lantern quarrel tide";
  await hers.getByLabel("New password", { exact: true }).fill(password);
  await hers.getByLabel("Repeat new password").fill(password);
  await hers.getByRole("button", { name: "Set password" }).click();
  await hers.getByRole("link", { name: "Sign in as nell" }).click();
  const enter = async () => {
    await hers.getByLabel("Name").fill("nell");
    await hers.getByLabel("Password").fill(password);
    await hers.getByRole("button", { name: "Sign in" }).click();
  };
  await enter();
  await expect(hers.getByText("Your role requires one.")).toBeVisible();
  await hers.getByRole("button", { name: "Set up" }).click();
  const secret = ((await hers.getByText(/^([A-Z2-7]{4} ){7}[A-Z2-7]{4}$/).textContent()) ?? "").replaceAll(" ", "");
  const totp = new TOTP({ secret: Secret.fromBase32(secret) });
  await hers.getByLabel("Your password").fill(password);
  await hers.getByLabel("New code").fill(totp.generate());
  await hers.getByRole("button", { name: "Set up" }).click();
  await expect(hers.getByText("You use an authenticator app")).toBeVisible();
  await hers.getByRole("button", { name: "Nell Harbour, desk" }).click();
  await hers.getByRole("menuitem", { name: "Sign out" }).click();
  await enter();
  await expect(hers.getByRole("alert")).toContainText("Enter the code");
  // A code counts once, so it is the next one; its step may be ahead by one.
  await hers.getByLabel("Code from your authenticator app").fill(totp.generate({ timestamp: Date.now() + 30_000 }));
  await hers.getByRole("button", { name: "Sign in" }).click();
  await expect(hers.getByRole("button", { name: /^Branch Havenhead/ })).toBeVisible();
  await hers.context().close();

  const nell = page.getByRole("listitem").filter({ hasText: "Nell Harbour" });
  await page.reload();
  await expect(nell).toContainText("Second factor");
  await expect(nell).toContainText("Waives up to $1.00");
  await nell.getByRole("button", { name: "Remove second factor" }).click();
  await expect(nell).toContainText("Not signed in");
  await tab(page, "Change log");
  const settings = page.getByRole("listitem").filter({ hasText: "Settings" }).first();
  await expect(settings).toContainText("second factor: nothing → desk");
  await settings.getByRole("button", { name: "Undo" }).click();
  await expect.poll(() => ask("SELECT coalesce(settings->>'second_factor', '[]') FROM network")).toBe("[]");
});

test("email has a sender, is tried at once, and says where it is off", async ({ page }) => {
  await signIn(page, "Ada Pellam");
  await page.goto("/network?tab=settings");
  const email = page.getByRole("region", { name: "Messages", exact: true });
  const sender = email.getByLabel("Sender address");
  await expect(sender).toHaveValue("library@orrin.invalid");
  await sender.fill("the library");
  await email.getByRole("button", { name: "Save messages" }).click();
  await expect(email.getByText("Enter an email address, such as notices@library.example.")).toBeVisible();
  await sender.fill("");
  await email.getByRole("button", { name: "Save messages" }).click();
  const trial = page.getByRole("region", { name: "Test email" });
  await trial.getByLabel("To").fill("ada@post.invalid");
  await trial.getByRole("button", { name: "Send test email" }).click();
  await expect(trial).toContainText("save a sender address first");
  await go(page, "Notices");
  await expect(page.getByRole("status").filter({ hasText: "Email is off." })).toContainText("Enter the sender");
  await page.getByRole("link", { name: "Network, Settings" }).click();
  await sender.fill("notices@orrin.invalid");
  await email.getByLabel("Reply address").fill("desk@orrin.invalid");
  await email.getByRole("button", { name: "Save messages" }).click();
  await trial.getByLabel("To").fill("ada@post.invalid");
  await expect
    .poll(async () => {
      await trial.getByRole("button", { name: "Send test email" }).click();
      return trial
        .getByRole("status")
        .textContent({ timeout: 2000 })
        .catch(() => "");
    })
    .toContain("The mail server accepted the email to ada@post.invalid.");
  await go(page, "Notices");
  await expect(page.getByRole("heading", { name: "Notices" })).toBeVisible();
  await expect(page.getByText("Email is off.")).toHaveCount(0);
  await readsWell(page, "Notices");
});

test("an administrator sees how the installation stands, and the first steps until something has been lent", async ({
  page,
}) => {
  await signIn(page, "Ada Pellam");
  await expect(page.getByRole("table", { name: "Work by branch" })).toBeVisible();
  await expect(page.getByRole("region", { name: "First steps" })).toHaveCount(0);
  await ask(
    `WITH w AS (INSERT INTO river_job (kind, queue, args, state, max_attempts, attempt, attempted_at, errors, scheduled_at)
      VALUES ('rehearse', 'default', '{}', 'retryable', 9, 1, now(), ARRAY['{"error": "no room on the disk"}']::jsonb[], now() + interval '1 hour') RETURNING 1) SELECT count(*) FROM w`,
  );
  await page.goto("/network?tab=status");
  const status = page.getByRole("region", { name: "Status", exact: true });
  await expect(status).toContainText("CAD, America/Halifax");
  await expect(status).toContainText(
    "PostgreSQL gives its log to no archive, so what comes after a base backup can be lost.",
  );
  await expect(status).toContainText("On.");
  await expect(page.getByRole("region", { name: "Failed jobs" })).toContainText("no room on the disk");
  await readsWell(page, "Network, status");
  // As in a network in which nothing has been lent.
  await page.route("**/api/status", async (route) => {
    const answer = await route.fetch();
    await route.fulfill({ json: { ...(await answer.json()), lent: false } });
  });
  await page.goto("/");
  const steps = page.getByRole("region", { name: "First steps" });
  await expect(steps).toContainText(/[78] of 9 done\./);
  await expect(steps.getByRole("listitem").filter({ hasText: "Backup" })).toContainText("not done");
  await readsWell(page, "First steps");
  await steps.getByRole("link", { name: "Stations" }).click();
  await expect(page.getByRole("heading", { name: "Network" })).toBeVisible();
  await signIn(page, "Maren Odell");
  await expect(page.getByRole("table", { name: "Work by branch" })).toBeVisible();
  await expect(page.getByRole("region", { name: "First steps" })).toHaveCount(0);
  await page.goto("/network");
  await tab(page, "Stations");
  await expect(page.getByRole("main").getByRole("button", { name: "Status", exact: true })).toHaveCount(0);
});
