import { expect, test } from "vitest";
import type { Term } from "./types";
import { mistake, plain, typed } from "./ValueField";

const term = (kind: string, nullable = false) => ({ id: "x", name: "X", kind, nullable }) as Term;

// Durations of ISO 8601, as handbook 03 has them in rulebook files.
test.each([
  ["P21D", "21"],
  ["P2W", "14"],
  ["PT3H", "3 h"],
])("%s is typed as %s", (value, text) => {
  expect(typed(term("duration"), value)).toBe(text);
});

test.each([
  [term("duration"), "21", "P21D"],
  [term("duration"), "3 h", "PT3H"],
  [term("duration"), "soon", "soon"],
  [term("number", true), "", null],
  [term("number"), "12", 12],
  [term("yes_no"), "false", false],
  [term("dates"), "2026-12-18, 2027-06-11", ["2026-12-18", "2027-06-11"]],
])("%o typed as %s", (of, text, value) => expect(plain(of, text)).toEqual(value));

test.each([
  [term("duration"), "21", undefined],
  [term("duration"), "3 h", undefined],
  [term("duration"), "P2W", undefined],
  [term("duration"), "soon", "Enter days such as 21, or hours such as 3 h."],
  [term("duration"), "-3", "Enter days such as 21, or hours such as 3 h."],
  [term("duration"), "", "Enter days such as 21, or hours such as 3 h."],
  [term("number", true), "", undefined],
  [term("number", true), "many", "Enter a whole number such as 5. Leave it empty for no limit."],
  [term("choice"), "anything", undefined],
])("%o typed as %s says %s", (of, text, says) => expect(mistake(of, text)).toBe(says));
