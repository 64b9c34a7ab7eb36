import { expect, test } from "vitest";
import { isSum, sumSays } from "./checks";
import { isInstant, sayIn, sayMoney, toFigures, toMinor, toWall } from "./say";

// Files have the branch's clock: Havenhead is at UTC-3 in October, and at UTC-4 after the clocks went back on 1 November 2026
// (IANA tz database, America/Halifax).
test("instants in files are by the clock of the branch", () => {
  sayIn({ timezone: "America/Halifax", currency: "CAD", now: "2026-10-06T12:00:00Z" });
  expect(toWall("2026-10-06T17:30:00Z")).toBe("2026-10-06 14:30");
  expect(toWall("2026-11-02T03:05:00.25Z")).toBe("2026-11-01 23:05");
  expect(isInstant("2026-10-06T17:30:00-03:00")).toBe(true);
  for (const not of ["2026-10-06", "2026-10-06T17:30", "Tuesday", "", 20261006]) expect(isInstant(not)).toBe(false);
});

// ISO 4217: two decimals for the dollar, none for the yen, three for the Kuwaiti dinar.
test("sums in files have the decimals of the currency", () => {
  for (const [currency, minor, figures] of [
    ["CAD", 250, "2.50"],
    ["JPY", 250, "250"],
    ["KWD", 2500, "2.500"],
  ] as const) {
    sayIn({ timezone: "UTC", currency });
    expect(toFigures(minor)).toBe(figures);
  }
});

// Nothing that somebody types is rounded: a yen has no decimals, a Kuwaiti dinar three (ISO 4217).
test("a sum has no more decimals than its currency", () => {
  for (const [currency, right, wrong, says] of [
    ["CAD", ["0.05", "2,50", "12", "0"], ["0,005", "1.234", "-", ".5", "1e3", "ten", ""], "12.50"],
    ["JPY", ["250", "0"], ["10.50", "1,0"], "1250"],
    ["KWD", ["2.500", "0,005"], ["0.0005"], "1.250"],
  ] as const) {
    sayIn({ timezone: "UTC", currency });
    for (const text of right) expect(isSum(text), `${currency} ${text}`).toBe(true);
    for (const text of wrong) expect(isSum(text), `${currency} ${text}`).toBe(false);
    expect(sumSays()).toBe(`Enter an amount such as ${says}.`);
  }
  sayIn({ timezone: "UTC", currency: "CAD" });
  expect(toMinor("-3.5")).toBe(-350);
  expect(sayMoney("1234.5")).toBe("$1,234.50"); // as the server says it in sentences: core/money
});
