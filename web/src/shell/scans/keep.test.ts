import { afterEach, expect, test, vi } from "vitest";
import { abandoned, keeper } from "./keep";
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

test("a run of thousands keeps what waits or asks, and the newest answered lines, through a reload", () => {
  const lines = (n: number, state: Scan["state"]) =>
    Array.from({ length: n }, (_, k): Scan => ({ ...scan(`${state} ${k}`, 1), state }));
  const all = [...lines(3, "ask"), ...lines(2, "waits"), ...lines(3000, "done")];
  keeper.save(all);
  const again = keeper.load();
  expect(again.filter((s) => s.state === "ask")).toHaveLength(3);
  expect(again.filter((s) => s.state === "waits")).toHaveLength(2);
  expect(again.filter((s) => s.state === "done").map((s) => s.text)).toEqual(
    all
      .filter((s) => s.state === "done")
      .slice(-200)
      .map((s) => s.text),
  );
});

test("a browser that can keep no more stops no scan; what waits is kept still", () => {
  const full = vi.spyOn(Storage.prototype, "setItem").mockImplementation(function (this: Storage, key, value) {
    if (value.length > 2000) throw new DOMException("full", "QuotaExceededError");
    Object.defineProperty(this, key, { value, configurable: true, enumerable: true, writable: true });
  });
  try {
    const done: Scan[] = Array.from({ length: 50 }, (_, k) => ({ ...scan(String(k), 1), state: "done" }));
    expect(() => keeper.save([scan("21846000031184", 1), ...done])).not.toThrow();
  } finally {
    full.mockRestore();
  }
  expect(keeper.load().map((s) => s.text)).toEqual(["21846000031184"]);
});
