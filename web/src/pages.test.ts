import { expect, test } from "vitest";
import { pagesFor } from "./pages";

test("the palette offers to a role the pages that it opens", () => {
  const names = (role: string) => pagesFor(role).map((p) => p.name);
  expect(names("administrator")).toEqual(
    expect.arrayContaining(["Settings: Dates and times", "Network: Staff", "Courier: What if", "Holds: High demand"]),
  );
  expect(names("supervisor")).toContain("Settings: Money");
  expect(names("supervisor")).not.toContain("Network: Staff");
  expect(names("desk").filter((n) => /^(Settings|Network)/.test(n) || n === "Courier: What if")).toEqual([]);
  expect(names("desk")).toContain("Patrons: Register somebody");
  expect(names("volunteer").filter((n) => /^(Money|Patrons|Rosters|Settings)/.test(n))).toEqual([]);
  for (const role of ["volunteer", "desk", "administrator"])
    expect(new Set(names(role)).size, role).toBe(names(role).length);
});
