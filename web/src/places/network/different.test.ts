import { expect, test } from "vitest";
import { different } from "./different";

test("what a change has made otherwise is said field by field", () => {
  expect(
    different({ name: "A", phones: ["1"], keep: { holds: 6 } }, { name: "B", phones: ["1", "2"], keep: { holds: 9 } }),
  ).toEqual([
    { what: "name", was: "A", is: "B" },
    { what: "phones", was: "1", is: "1, 2" },
    { what: "keep, holds", was: "6", is: "9" },
  ]);
  expect(different({ slips: true, closed_on: undefined }, { slips: false, closed_on: "2026-10-06" })).toEqual([
    { what: "slips", was: "yes", is: "no" },
    { what: "closed on", was: "", is: "2026-10-06" },
  ]);
});

test("of a list of documents only those are named that are otherwise", () => {
  const cards = { name: "Cards", length: 14 };
  expect(
    different({ patterns: [cards, { name: "Old" }] }, { patterns: [{ ...cards, length: 13 }, { name: "New" }] }),
  ).toEqual([
    { what: "Cards, length", was: "14", is: "13" },
    { what: "patterns", was: "Old", is: "" },
    { what: "patterns", was: "", is: "New" },
  ]);
});

test("what was added or removed has no differences", () => {
  expect(different(undefined, { name: "A" })).toEqual([]);
  expect(different({ name: "A" }, undefined)).toEqual([]);
});
