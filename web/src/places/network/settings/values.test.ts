import { expect, test } from "vitest";
import { start, toSettings } from "./values";

const settings = {
  second_factor: ["administrator"],
  fields: { email: "must" },
  idle_minutes: 30,
  limits: {
    consents: ["desk"],
    classes: true,
    back_days: 3,
    waive: { desk: 500, interlibrary: 750, supervisor: 2000, administrator: null },
    let_off: 3,
    past: { owed: ["desk"] },
  },
  counter: {
    staged: true,
    photos: true,
    receipt: "ask",
    collect: "named",
    due_others: false,
    last_look: true,
    slips: ["tote"],
    bin: { lines: 20, columns: ["found"], waits: false, rest: true },
    patron: { lines: 10, columns: [], waits: true, rest: false },
  },
  money: {
    till: true,
    ask_daily: true,
    blind: true,
    invoice_days: 30,
    invoice_sender: "A",
    invoice_foot: "B",
    accounts: { cash: "1000" },
  },
  mail: { sender: "notices@library.example", reply: "" },
  notices: {
    hours: { from: 480, until: 1215 },
    gather_minutes: 10,
    page: "https://library.example/mine",
    text_sender: "+19025550100",
    country: "CA",
    languages: ["en", "fr"],
    per_minute: 60,
  },
  holds: {
    order: { first: ["housebound"], last: [] },
    local_days: 3,
    fetch_most: { HVH: 40 },
    round_minutes: 180,
    per_copy: 5,
    remind: 2,
    missing: 10,
  },
  outside: { statement: "For study only." },
  ask_before: true,
  one_address: false,
  confirm_months: 24,
  records: { name: "Coast Records", address: "https://records.example/sru", covers: "" },
  sign_ups: { open: true, contact: true, card_days: 14 },
  guardians: true,
  style: { order: "month", hours: 12 },
  keep: { history: null, holds: 6, messages: 6, readings: 12, answers: 2 },
} as Parameters<typeof start>[0];

test("settings are said and read back as they were", () => {
  const said = start(settings, "CAD");
  expect(said.waive).toEqual({
    desk: "5.00",
    interlibrary: "7.50",
    supervisor: "20.00",
    administrator: "",
  });
  expect(said.history).toBe("");
  expect(toSettings(said, "CAD")).toEqual(settings);
});

test("a currency without cents has none in its limits", () => {
  const yen = { ...settings, limits: { ...settings.limits, waive: { desk: 500 } } } as typeof settings;
  const said = start(yen, "JPY");
  expect(said.waive.desk).toBe("500");
  expect(said.waive.supervisor).toBe("0"); // who is not named waives nothing
  expect(toSettings(said, "JPY").limits.waive.desk).toBe(500);
});

test("a comma is read as it is meant", () => {
  const said = start(settings, "CAD");
  said.waive.desk = "7,50";
  expect(toSettings(said, "CAD").limits.waive.desk).toBe(750);
});
