import { act, renderHook } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import type { Answer } from "../api/client";
import { signedInHere } from "../api/station";
import { line } from "./line";
import { useWrite, write, writes } from "./write";

/** A till: a payment counts once for each key; the same key for another sum is refused, as the server does it. */
class Till {
  taken: number[] = [];
  asked = 0;
  private known = new Map<string, number>();

  take(sum: number, ...replies: (number | "lost" | "lost after")[]) {
    return async (key: string): Promise<Answer<string>> => {
      this.asked++;
      const reply = replies.shift() ?? 200;
      await new Promise((go) => setTimeout(go, 100));
      if (reply === "lost") throw new TypeError("network");
      const before = this.known.get(key);
      if (before !== undefined && before !== sum) return answer(422, { detail: "used", type: "urn:nevrin:key-used" });
      if (reply === 200 || reply === "lost after") {
        if (before === undefined) this.taken.push(sum);
        this.known.set(key, sum);
      }
      if (reply === "lost after") throw new TypeError("network");
      return reply === 200 ? { data: "paid", response: new Response(null, { status: 200 }) } : answer(reply, {});
    };
  }
}

const answer = (status: number, error: unknown): Answer<string> => ({
  error,
  response: new Response(null, { status }),
});
const settled = () => vi.advanceTimersByTimeAsync(20_000);
const state = () => writes.getState().pay?.state;
const problem = () => (writes.getState().pay?.problem as Error | undefined)?.message;

beforeEach(() => {
  vi.useFakeTimers();
  signedInHere(7);
  line.getState().find();
  line.getState().signIn();
  writes.setState({}, true);
});
afterEach(() => vi.useRealTimers());

describe("a write", () => {
  test("whose answer is lost is asked for again with its key, and counts once", async () => {
    const till = new Till();
    const done = write("pay", "Payment", till.take(200, "lost after", 503, "lost"));
    await vi.advanceTimersByTimeAsync(150);
    expect(state()).toBe("unknown");
    await settled();
    expect(await done).toEqual({ answer: "paid" });
    expect(till.taken).toEqual([200]);
    expect(till.asked).toBe(4);
    expect(state()).toBe("rest");
  });

  test("is not begun twice while it is under way", async () => {
    const till = new Till();
    const first = write("pay", "Payment", till.take(200));
    const second = write("pay", "Payment", till.take(200));
    await settled();
    expect([await first, await second]).toEqual([{ answer: "paid" }, undefined]);
    expect(till.taken).toEqual([200]);
  });

  test("given up and done again by hand keeps its key: it counts once", async () => {
    const till = new Till();
    const first = write("pay", "Payment", till.take(200, "lost after", "lost", "lost", "lost"));
    await vi.advanceTimersByTimeAsync(150);
    writes.getState().pay?.stop?.();
    await settled();
    expect(await first).toBeUndefined();
    expect(problem()).toContain("may have gone through");
    const second = write("pay", "Payment", till.take(200));
    await settled();
    expect(await second).toEqual({ answer: "paid" });
    expect(till.taken).toEqual([200]);
  });

  test("given up and done with another sum says that the first was done, and books nothing more", async () => {
    const till = new Till();
    const first = write("pay", "Payment", till.take(200, "lost after", "lost", "lost"));
    await vi.advanceTimersByTimeAsync(150);
    writes.getState().pay?.stop?.();
    await settled();
    await first;
    const second = write("pay", "Payment", till.take(300));
    await settled();
    expect(await second).toBeUndefined();
    expect(problem()).toContain("did go through");
    expect(till.taken).toEqual([200]);
    const third = write("pay", "Payment", till.take(300));
    await settled();
    expect(await third).toEqual({ answer: "paid" });
    expect(till.taken).toEqual([200, 300]);
  });

  test("that is refused is told at once, and not asked again", async () => {
    const till = new Till();
    const refused = write("pay", "Payment", till.take(200, 409));
    await settled();
    expect(await refused).toBeUndefined();
    expect(till.asked).toBe(1);
    expect(problem()).toBe("The server answered 409.");
  });

  test("of a session that has ended waits for the same person, and is none's", async () => {
    const till = new Till();
    const mine = write("pay", "Payment", till.take(200, 401));
    await settled();
    expect(till.taken).toEqual([]);
    line.getState().signIn();
    await settled();
    expect(await mine).toEqual({ answer: "paid" });
    const theirs = write("pay", "Payment", till.take(100, 401));
    await settled();
    signedInHere(8);
    line.getState().signIn();
    await settled();
    expect(await theirs).toBeUndefined();
    expect(problem()).toContain("Somebody else has signed in");
    expect(till.taken).toEqual([200]);
  });
});

test("who has left the screen is not taken away from where they went on to, but what was done is known", async () => {
  for (const [leaves, goes] of [
    [false, 1],
    [true, 0],
  ] as const) {
    const [done, go] = [vi.fn(), vi.fn()];
    const screen = renderHook(() => useWrite((_: void, key) => new Till().take(200)(key), { name: "pay", done, go }));
    act(() => screen.result.current.run());
    if (leaves) screen.unmount();
    await act(() => settled());
    expect(done).toHaveBeenCalledTimes(1);
    expect(go).toHaveBeenCalledTimes(goes);
  }
});
