import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import type { Answer } from "../../api/client";
import { signedInHere } from "../../api/station";
import { line } from "../line";
import { createQueue, open, type Outcome, type Scan, type Taker } from "./queue";

/** A server that answers after a while, or with a status, or not at all; and counts what it was asked. */
class Slow {
  asked: { key: string; text: string }[] = [];
  done: string[] = []; // texts, once for each key
  private keys = new Set<string>();
  private replies: (number | "lost" | "lost after")[] = [];
  constructor(private readonly delay: number) {}

  next(...replies: (number | "lost" | "lost after")[]) {
    this.replies.push(...replies);
  }

  ask = async (key: string, text: string): Promise<Answer<string>> => {
    this.asked.push({ key, text });
    const reply = this.replies.shift() ?? 200;
    await new Promise((go) => setTimeout(go, this.delay));
    if (reply === "lost") throw new TypeError("network");
    if (reply === 200 || reply === "lost after") {
      if (!this.keys.has(key)) this.done.push(text);
      this.keys.add(key);
    }
    if (reply === "lost after") throw new TypeError("network");
    return reply === 200
      ? { data: `did ${text}`, response: new Response(null, { status: 200 }) }
      : { error: { detail: `status ${reply}` }, response: new Response(null, { status: reply }) };
  };
}

function desk(server: Slow, kept: Scan[] = []) {
  let saved = kept;
  let session = "nobody";
  const taker: Taker = {
    session: () => session,
    take: async (scan, send): Promise<Outcome> => {
      if (scan.what === "finish") {
        session = "nobody";
        return { state: "done", gone: true };
      }
      const said = await send((key) => server.ask(key, `${scan.text} for ${session}`));
      if (scan.text.startsWith("card")) {
        session = scan.text;
        return { state: "done", gone: true };
      }
      return { state: "done", result: said };
    },
  };
  const queue = createQueue({ load: () => saved, save: (s) => (saved = s) }, new Map([["desk", taker]]));
  return { queue, kept: () => saved, states: () => queue.getState().scans.map((s) => s.state) };
}

beforeEach(() => {
  vi.useFakeTimers();
  signedInHere(7);
  line.getState().find();
  line.getState().signIn();
});
afterEach(() => vi.useRealTimers());

describe("the queue", () => {
  test("ten codes a second against answers that take three seconds: none is lost, all in order, all on the tape", async () => {
    const server = new Slow(3000);
    const { queue, states } = desk(server);
    const codes = Array.from({ length: 30 }, (_, k) => `item ${k}`);
    for (const code of ["card A", ...codes]) {
      queue.getState().add("desk", code);
      expect(queue.getState().scans.at(-1)).toMatchObject({ text: code });
      await vi.advanceTimersByTimeAsync(100);
    }
    await vi.advanceTimersByTimeAsync(31 * 3000);
    expect(server.done).toEqual(["card A for nobody", ...codes.map((c) => `${c} for card A`)]);
    expect(states().every((s) => s === "done")).toBe(true);
  });

  test("items go to the card that was scanned before them, though it was answered late", async () => {
    const server = new Slow(2000);
    const { queue } = desk(server);
    for (const text of ["card A", "one", "card B", "two"]) queue.getState().add("desk", text);
    queue.getState().add("desk", "", { what: "finish" });
    queue.getState().add("desk", "three");
    await vi.advanceTimersByTimeAsync(20_000);
    expect(server.done).toEqual([
      "card A for nobody",
      "one for card A",
      "card B for card A",
      "two for card B",
      "three for nobody",
    ]);
  });

  test("502s and lost answers in between: each is asked again with its key, and counts once", async () => {
    const server = new Slow(50);
    server.next(502, 503, "lost", "lost after", 200);
    const { queue, states } = desk(server);
    queue.getState().add("desk", "one");
    queue.getState().add("desk", "two");
    await vi.advanceTimersByTimeAsync(60);
    expect(states()).toEqual(["unknown", "waits"]);
    await vi.advanceTimersByTimeAsync(20_000);
    expect(states()).toEqual(["done", "done"]);
    expect(new Set(server.asked.slice(0, 5).map((a) => a.key)).size).toBe(1);
    expect(server.done).toEqual(["one for nobody", "two for nobody"]);
  });

  test("what is refused stays with its sentence, and may be retrying with a new key", async () => {
    const server = new Slow(10);
    server.next(409);
    const { queue } = desk(server);
    const id = queue.getState().add("desk", "one");
    await vi.advanceTimersByTimeAsync(100);
    expect(queue.getState().scans[0]).toMatchObject({ state: "wrong", says: "status 409" });
    queue.getState().again(id);
    await vi.advanceTimersByTimeAsync(100);
    expect(queue.getState().scans[0]).toMatchObject({ state: "done" });
    expect(new Set(server.asked.map((a) => a.key)).size).toBe(2);
  });

  test("a window killed with a scan on its way sends it again with its key when it comes back", async () => {
    const server = new Slow(500);
    server.next("lost after");
    const first = desk(server);
    first.queue.getState().add("desk", "one");
    first.queue.getState().add("desk", "two");
    await vi.advanceTimersByTimeAsync(100);
    const kept = structuredClone(first.kept()); // what the browser has when the window is killed
    expect(kept.map((s) => s.state)).toEqual(["sent", "waits"]);
    first.queue.getState().drop(() => true);
    await vi.advanceTimersByTimeAsync(5000);
    server.asked = [];
    server.done = server.done.slice(0, 1);

    const second = desk(server, kept);
    expect(second.states()).toEqual(["unknown", "waits"]);
    second.queue.getState().go();
    await vi.advanceTimersByTimeAsync(5000);
    expect(second.states()).toEqual(["done", "done"]);
    expect(server.asked.map((a) => a.key)).toEqual(kept.map((s) => s.key));
    expect(server.done).toEqual(["one for nobody", "two for nobody"]);
  });

  test("a session that has ended: scans are waiting, and go on with who they belong to", async () => {
    const server = new Slow(10);
    server.next(401);
    const { queue, states } = desk(server);
    queue.getState().add("desk", "one");
    await vi.advanceTimersByTimeAsync(100);
    queue.getState().add("desk", "two");
    await vi.advanceTimersByTimeAsync(60_000);
    expect(states()).toEqual(["sent", "waits"]);
    expect(server.asked).toHaveLength(1);
    line.getState().signIn();
    await vi.advanceTimersByTimeAsync(100);
    expect(states()).toEqual(["done", "done"]);
    expect(server.done).toEqual(["one for nobody", "two for nobody"]);
  });

  test("what somebody else scanned here is never sent in another's name", async () => {
    const server = new Slow(10);
    server.next(401);
    const { queue, states } = desk(server);
    queue.getState().add("desk", "one");
    queue.getState().add("desk", "two");
    await vi.advanceTimersByTimeAsync(100);
    signedInHere(8);
    line.getState().signIn();
    await vi.advanceTimersByTimeAsync(1000);
    expect(server.done).toEqual([]);
    expect(states()).toEqual(["wrong", "waits"]);
    expect(queue.getState().scans.filter(open)).toHaveLength(1);
  });

  test("a person may stop asking, and is told that it may have been done", async () => {
    const server = new Slow(10);
    server.next("lost", "lost", "lost");
    const { queue } = desk(server);
    const id = queue.getState().add("desk", "one");
    await vi.advanceTimersByTimeAsync(50);
    queue.getState().strike(id);
    await vi.advanceTimersByTimeAsync(50);
    expect(queue.getState().scans[0]).toMatchObject({ state: "wrong" });
    expect(queue.getState().scans[0]?.says).toContain("may have gone through");
  });
});
