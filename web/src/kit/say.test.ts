import { expect, test } from "vitest";
import { isInstant, sayIn, toFigures, toWall } from "./say";

// Files have the branch's clock: Havenhead is at UTC-3 in October, and at UTC-4 after the clocks went back on 1 November 2026
// (IANA tz database, America/Halifax).
test("instants in files are by the clock of the branch", () => {
  sayIn("America/Halifax", "CAD");
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
    sayIn("UTC", currency);
    expect(toFigures(minor)).toBe(figures);
  }
});
