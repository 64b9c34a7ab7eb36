import { beforeEach, expect, test, vi } from "vitest";

/** A line to a pad on which a test speaks for the pad. */
class Line {
  static all: Line[] = [];
  onopen?: () => void;
  onclose?: () => void;
  onmessage?: (e: { data: string }) => void;
  sent: { id: number; method: string; params: unknown }[] = [];
  constructor(public address: string) {
    Line.all.push(this);
  }
  send = (text: string) => void this.sent.push(JSON.parse(text) as Line["sent"][number]);
  close = () => this.onclose?.();
  says = (message: unknown) =>
    this.onmessage?.({ data: typeof message === "string" ? message : JSON.stringify(message) });
  tells = (method: string, params: unknown) => this.says({ jsonrpc: "2.0", method, params });
  answers = (method: string, result: unknown) =>
    this.says({ jsonrpc: "2.0", id: this.sent.filter((s) => s.method === method).at(-1)?.id, result });
}

const tag = (number: string, more = {}) => ({ tag: `E0${number}`, number, part: 1, parts: 1, secure: true, ...more });
const nothingOn = { pad: "desk", tags: [], silent: [] };
const settle = () => vi.advanceTimersByTimeAsync(0);

/** The pad of a window that has just been opened. */
async function opened() {
  vi.resetModules();
  const module = await import("./pad");
  module.connect("ws://127.0.0.1:7411/pad");
  const line = Line.all.at(-1)!;
  line.onopen?.();
  await settle();
  return { ...module, line };
}

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal("WebSocket", Line);
  vi.spyOn(console, "error").mockImplementation(() => {});
  sessionStorage.clear();
  Line.all = [];
});

test("a pad is asked for all that lies there, and is there once it has said so", async () => {
  const { pad, line } = await opened();
  expect(pad.getState().line).toBe("seeking");
  line.answers("look", { ...nothingOn, tags: [tag("31")], silent: ["E0?1"] });
  await settle();
  expect(pad.getState().line).toBe("here");
  expect(pad.getState().pile.tags.map((t) => t.number)).toEqual(["31"]);
  expect(pad.getState().pile.silent).toEqual(["E0?1"]);
});

test("what makes no sense is left out, and the line stays", async () => {
  const { pad, line } = await opened();
  line.answers("look", nothingOn);
  await settle();
  line.says("no JSON");
  line.tells("tag", { tag: "E0", number: 31 });
  line.tells("tag", tag("31", { part: 0 }));
  line.tells("dance", {});
  line.tells("tag", tag("32"));
  await settle();
  expect(pad.getState().line).toBe("here");
  expect(pad.getState().pile.tags.map((t) => t.number)).toEqual(["32"]);
});

test("security is switched once, and a tag that does not take it is told and not tried by itself", async () => {
  const { pad, line, secure, tryAgain } = await opened();
  line.answers("look", { ...nothingOn, tags: [tag("31")] });
  await settle();
  secure(["31"], false, "Tides");
  secure(["31"], false, "Tides");
  const asked = () => line.sent.filter((s) => s.method === "secure");
  expect(asked()).toHaveLength(1);
  line.says({ jsonrpc: "2.0", id: asked()[0]?.id, error: { code: 2, message: "the tag did not take it" } });
  await settle();
  expect(pad.getState().pile.stuck).toEqual({ E031: "the tag did not take it" });
  expect(asked()).toHaveLength(1);
  tryAgain();
  expect(asked()).toHaveLength(2);
  line.answers("secure", tag("31", { secure: false }));
  await settle();
  expect(pad.getState().pile.owed).toEqual({});
});

test("a lost pad is searched again, and what came meanwhile is asked for", async () => {
  const { pad, line } = await opened();
  line.answers("look", { ...nothingOn, tags: [tag("31")] });
  await settle();
  line.close();
  expect(pad.getState().line).toBe("seeking");
  await vi.advanceTimersByTimeAsync(2100);
  expect(Line.all).toHaveLength(2);
  const second = Line.all[1]!;
  second.onopen?.();
  await settle();
  second.answers("look", { ...nothingOn, tags: [tag("32")] });
  await settle();
  expect(pad.getState().pile.tags.map((t) => t.number)).toEqual(["32"]);
});

test("one that another window has taken is left to it until it is asked for", async () => {
  const { pad, line, takeOver } = await opened();
  line.answers("look", nothingOn);
  await settle();
  line.tells("taken", {});
  await settle();
  line.close();
  await vi.advanceTimersByTimeAsync(10_000);
  expect(pad.getState().line).toBe("taken");
  expect(Line.all).toHaveLength(1);
  takeOver();
  expect(Line.all).toHaveLength(2);
});
