import { expect, test } from "vitest";
import { startRights, toRights } from "./rights";

test("rights go into the form and come back as they were", () => {
  for (const rights of [
    {},
    { waive: { sum: 1250 }, back_days: 0, past: ["owed"], history: false },
    { waive: { sum: null }, history: true, consents: false, due_dates: true },
    { waive: { sum: 0 } },
  ])
    expect(JSON.parse(JSON.stringify(toRights(startRights(rights, "CAD"), "CAD")))).toEqual(rights);
});
