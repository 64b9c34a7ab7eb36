import { expect, test } from "vitest";
import cases from "../../../core/money/testdata/coins.json";
import { inCoins } from "./coins";

test("a sum comes to as much in coins as the server says", () => {
  expect(cases.length).toBeGreaterThan(10);
  for (const { coin, sum, cash } of cases) expect(inCoins(sum, coin), `${sum} in coins of ${coin}`).toBe(cash);
});
