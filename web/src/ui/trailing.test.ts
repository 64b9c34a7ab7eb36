import { QueryClient, QueryObserver, type QueryKey } from "@tanstack/react-query";
import { afterEach, expect, test, vi } from "vitest";
import { trailing } from "./trailing";

afterEach(() => vi.useRealTimers());

/** A question that takes a second each time, and is looked at. */
function watched(queries: QueryClient, key: QueryKey[0]) {
  const asked = { times: 0, cut: 0, answers: 0 };
  const observer = new QueryObserver(queries, {
    queryKey: [key],
    retry: false,
    queryFn: ({ signal }) =>
      new Promise<number>((go) => {
        asked.times++;
        signal.addEventListener("abort", () => asked.cut++);
        setTimeout(() => {
          asked.answers++;
          go(asked.times);
        }, 1000);
      }),
  });
  observer.subscribe(() => {});
  return asked;
}

test("a window where something changes all the time gets its answers", async () => {
  vi.useFakeTimers();
  const queries = new QueryClient();
  const later = trailing(queries);
  const holds = watched(queries, "holds");
  for (let k = 0; k < 50; k++) {
    await vi.advanceTimersByTimeAsync(100);
    later.ask((q) => q.queryKey[0] === "holds");
  }
  expect(holds.cut).toBe(0);
  expect(holds.answers).toBeGreaterThanOrEqual(4);
  later.end();
});

test("many changes while a question is under way are one more question", async () => {
  vi.useFakeTimers();
  const queries = new QueryClient();
  const later = trailing(queries);
  const holds = watched(queries, "holds");
  const items = watched(queries, "items");
  await vi.advanceTimersByTimeAsync(200);
  for (let k = 0; k < 20; k++) later.ask((q) => q.queryKey[0] === "holds");
  await vi.advanceTimersByTimeAsync(10_000);
  expect(holds.times).toBe(2);
  expect(items.times).toBe(1);
  later.ask((q) => q.queryKey[0] === "holds");
  await vi.advanceTimersByTimeAsync(10_000);
  expect(holds.times).toBe(3);
  later.end();
});
