import { beforeEach, expect, test, vi } from "vitest";
import { api } from "../../api/client";
import { signedInHere } from "../../api/station";
import { takers, type Scan, type Send } from "../../shell/scans/scans";
import { beStation } from "../../shell/settings";
import { who, type Me } from "../../shell/me";
import {
  changed,
  chooseMode,
  modeHere,
  justScanned,
  lookAtRun,
  returns,
  type Change,
  type Line,
  type Run,
} from "./session";

// What is asked for while a run goes on may be answered late: a note that came up meanwhile must not go from the screen.

const run = (notes: Line[] = []): Run => ({
  id: 1,
  mode: "bin",
  bin: "",
  counted_as: "",
  counted_at: "",
  let_off: 0,
  excused: "",
  odd: false,
  says: "",
  piles: [],
  open: [],
  notes,
  finished: false,
});
const line = (id: number) => ({ id, note_answer: "open", undone: false, note: "Cap missing" }) as Line;
const change = (id: number): Change => ({ run: 1, lines: [line(id)], piles: [], open: [] });

const scanOf = (session: string): Scan => ({
  ...{ id: "1", key: "1", taker: "returns", session, text: "31846000274417", what: "scan", given: {} },
  ...{ person: 7, branch: "SLM", at: 1, state: "sent", says: "" },
});

beforeEach(() => {
  signedInHere(7);
  returns.setState({ runs: {} });
});

const notes = () => returns.getState().runs["SLM bin"]?.run.notes.map((l) => l.id);

/** Looks at the run, with an answer that takes its time while other happens. */
async function looked(answer: Run, meanwhile: () => void) {
  vi.spyOn(api, "POST").mockImplementation(() => {
    meanwhile();
    return Promise.resolve({ data: answer, response: new Response(null, { status: 200 }) });
  });
  await lookAtRun("SLM bin");
}

test("the first answer opens the run, a later one brings what other windows did", async () => {
  await looked(run(), () => {});
  expect(notes()).toEqual([]);
  await looked(run([line(4)]), () => {});
  expect(notes()).toEqual([4]);
});

test("an answer that is older than a scan leaves what the scan brought", async () => {
  await looked(run(), () => {});
  await looked(run(), () => changed(change(5)));
  expect(notes()).toEqual([5]);
});

test("a run of thousands of lines keeps none of them in the browser, and a full store stops no scan", async () => {
  await looked(run(), () => {});
  for (let id = 1; id <= 3000; id++) changed({ ...change(id), lines: [{ ...line(id), note_answer: "" }] });
  expect(sessionStorage.getItem("nevrin returns")).toContain('"fresh":[]');
  const full = vi.spyOn(Storage.prototype, "setItem").mockImplementation(() => {
    throw new DOMException("full", "QuotaExceededError");
  });
  try {
    expect(() => changed(change(3001))).not.toThrow();
  } finally {
    full.mockRestore();
  }
  expect(returns.getState().runs["SLM bin"]?.fresh[0]?.id).toBe(3001);
});

test("the sign of a station is of its own scans, whatever others scan into the same bin", async () => {
  const session = "SLM|bin|";
  returns.setState({ runs: { [session]: { run: run(), fresh: [] } } });
  const answer = change(11);
  vi.spyOn(api, "POST").mockImplementation(() =>
    Promise.resolve({ data: answer, response: new Response(null, { status: 200 }) }),
  );
  const send: Send = async (write) => {
    const { data } = await write("key");
    if (!data) throw new Error("no answer");
    return data;
  };
  await takers.get("returns")?.take(scanOf(session), send);
  changed(change(13)); // what another station has scanned is told
  expect(returns.getState().runs[session]?.fresh.map((l) => l.id)).toEqual([13, 11]);
  expect(returns.getState().runs[session]?.mine).toEqual([11]);
  expect(justScanned(11)).toBe(true);
  expect(justScanned(13)).toBe(false);
});

test("taking back begins with a patron, in a sort room from the bin; what was chosen holds for one person and day", () => {
  const sits = (id: number, day: string, sort_room: boolean) =>
    who.setState({
      me: { id, branch: "SLM", now: `${day}T09:00:00-03:00`, stations: [{ id: 3, sort_room }] } as unknown as Me,
    });
  returns.setState({ chosen: undefined });
  sits(7, "2026-10-06", true);
  expect(modeHere()).toBe("patron"); // this browser is no station
  beStation({ id: 3, slips: false, sounds: false, paper: "a4" });
  expect(modeHere()).toBe("bin");
  sits(7, "2026-10-06", false);
  expect(modeHere()).toBe("patron");
  chooseMode("bin");
  expect(modeHere()).toBe("bin");
  sits(8, "2026-10-06", false);
  expect(modeHere()).toBe("patron"); // the next person chooses anew
  sits(7, "2026-10-07", false);
  expect(modeHere()).toBe("patron"); // and so does the next day
});
