import { afterEach, expect, test, vi } from "vitest";
import { abandoned } from "./keep";
import type { Scan } from "./queue";

const scan = (text: string, person: number): Scan => ({
  ...{ id: text, key: text, taker: "desk", session: "", text, what: "scan", given: {} },
  ...{ person, at: 1, state: "waits", says: "" },
});

const alive = (...names: string[]) =>
  vi.stubGlobal("navigator", { locks: { query: () => Promise.resolve({ held: names.map((name) => ({ name })) }) } });

afterEach(() => {
  localStorage.clear();
  vi.unstubAllGlobals();
});

test("what two persons left in one window that is gone is told to each alone, and forgotten for each alone", async () => {
  alive();
  localStorage.setItem("nevrin unsent gone", JSON.stringify([scan("21846000031184", 1), scan("31846000274417", 2)]));

  const first = await abandoned(1);
  expect(first.scans.map((s) => [s.text, s.adopted])).toEqual([["21846000031184", "nevrin unsent gone"]]);
  first.forget();
  expect((await abandoned(1)).scans).toEqual([]);

  const second = await abandoned(2);
  expect(second.scans.map((s) => s.text)).toEqual(["31846000274417"]);
  second.forget();
  expect(localStorage.getItem("nevrin unsent gone")).toBeNull();
});

test("a window that is still there keeps what is its own", async () => {
  alive("nevrin windowthere");
  localStorage.setItem("nevrin unsent there", JSON.stringify([scan("21846000031184", 1)]));
  expect((await abandoned(1)).scans).toEqual([]);
});
