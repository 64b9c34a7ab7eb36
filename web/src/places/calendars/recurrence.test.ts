import { describe, expect, test } from "vitest";
import { kinds, ruleOf, sayRule } from "./recurrence";

// Rules of RFC 5545, section 3.3.10.
describe("a rule in words", () => {
  test.each([
    ["FREQ=YEARLY", "every year"],
    ["FREQ=WEEKLY;INTERVAL=2", "every other week"],
    ["FREQ=MONTHLY;INTERVAL=3", "every 3 months"],
    ["FREQ=MONTHLY;BYDAY=-1TU", "every month on the last Tuesday"],
    ["FREQ=MONTHLY;BYDAY=2SA", "every month on the second Saturday"],
    ["FREQ=WEEKLY;BYDAY=FR", "every week on Friday"],
    ["FREQ=YEARLY;BYEASTER=0", "recurring, by a custom rule"],
    ["FREQ=MONTHLY;BYDAY=MO,TU", "recurring, by a custom rule"],
  ])("%s is %s", (rule, says) => expect(sayRule(rule)).toBe(says));
});

test("every choice makes a rule that is said in words", () => {
  for (const [kind] of kinds) expect(sayRule(ruleOf(kind, "2026-10-13"))).not.toContain("set on this item");
  expect(sayRule(ruleOf("nth", "2026-10-13"))).toBe("every month on the second Tuesday");
  expect(sayRule(ruleOf("last", "2026-10-27"))).toBe("every month on the last Tuesday");
});
