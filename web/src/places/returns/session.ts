import { persist } from "zustand/middleware";
import { createStore } from "zustand/vanilla";
import { api, keyed, madeAt, Problem, told, type Schema } from "../../api/client";
import { branchHere } from "../../api/station";
import { add, drop, open as waits, scans, takers, type Outcome, type Scan, type Send } from "../../shell/scans/scans";
import { kept } from "../../ui/kept";
import { who } from "../../shell/me";
import { secure } from "../../circulation/pad/pad";
import { stationHere } from "../../shell/settings";
import { play } from "../../shell/sound";
import { surely } from "../../shell/surely";

/** The returns runs that are open here: one from the bin, one with the patron there. A run is the server's; what was
 * scanned since its lines were asked for is kept beside it. */

export type Run = Schema["ReturnsRun"];
export type Line = Schema["ReturnsLine"];
export type Change = Schema["ReturnsChange"];
export type Mode = "bin" | "patron";

interface Open {
  run: Run;
  /** Scanned or changed since the page of lines was asked for, newest first. */
  fresh: Line[];
  /** The newest lines that were scanned in this window: its sign and its slips are of them, whoever else scans into the same bin. */
  mine?: number[];
}

/** So many of its lines a window knows as its own. */
const mineKept = 100;
const scannedNow = new Set<number>();

/** Whether a line was scanned here since the page was opened: its slip may print by itself. */
export const justScanned = (line: number) => scannedNow.has(line);

/** Remembers the lines of a scan as this window's own. */
function scannedHere(session: string, lines: Line[]) {
  const ids = lines.map((l) => l.id);
  ids.forEach((id) => scannedNow.add(id));
  returns.setState(({ runs }) => {
    const o = runs[session];
    return o ? { runs: { ...runs, [session]: { ...o, mine: [...ids, ...(o.mine ?? [])].slice(0, mineKept) } } } : {};
  });
}

interface Returns {
  /** Which situation was chosen here, and in which sitting; in any other it is as the room of the station has it. */
  chosen?: { mode: Mode; sitting: string };
  /** Which bin is emptied, by branch; none: the branch's first. */
  bins: Record<string, string>;
  /** What was found by words instead of a label, until one is chosen or it is closed. */
  found?: { words: string; rows: Schema["ReturnsOnLoan"][]; more: boolean };
  /** By branch and mode. */
  runs: Record<string, Open>;
  /** How many runs were closed here: the next one is asked for anew. */
  closed: number;
  /** How often a run has changed here: an answer that was asked for before that is older than what is known. */
  changes: number;
}

export const returns = createStore<Returns>()(
  persist((): Returns => ({ bins: {}, runs: {}, closed: 0, changes: 0 }), {
    name: "nevrin returns",
    storage: kept(),
    // Lines are the server's, and after a reload they are asked for there.
    partialize: (r) => ({
      ...r,
      found: undefined,
      runs: Object.fromEntries(Object.entries(r.runs).map(([session, o]) => [session, { ...o, fresh: [] }])),
    }),
  }),
);

/** A person at a branch on a day: what they chose here is not inherited by the next, nor by the next day. */
function sitting() {
  const me = who.getState().me;
  return me ? `${me.id} ${me.branch} ${me.now.slice(0, 10)}` : "";
}

/** The situation that taking back is in here: as it was chosen, or else with a patron, and in a sort room from the bin. */
export function modeHere(): Mode {
  const { chosen } = returns.getState();
  if (chosen && chosen.sitting === sitting()) return chosen.mode;
  const here = who.getState().me?.stations.find((s) => String(s.id) === stationHere());
  return here?.sort_room ? "bin" : "patron";
}

/** Takes back in a situation from now on. */
export const chooseMode = (mode: Mode) => returns.setState({ chosen: { mode, sitting: sitting() } });

/** A session is a branch, a situation, and the bin that is emptied. */
export function sessionOf(mode: Mode) {
  const branch = branchHere() ?? "";
  return [branch, mode, mode === "bin" ? (returns.getState().bins[branch] ?? "") : ""].join("|");
}
const parts = (session: string) => {
  const [branch = "", mode = "bin", bin = ""] = session.split("|");
  return { branch, mode: mode as Mode, bin };
};

/** Empties another bin from now on. */
export const chooseBin = (bin: string) =>
  returns.setState(({ bins }) => ({ bins: { ...bins, [branchHere() ?? ""]: bin } }));

/** Lines newest first, each as it is in the first list that has it. */
export function merged(first: Line[], then: Line[]): Line[] {
  const known = new Set(first.map((l) => l.id));
  const all = [...first, ...then.filter((l) => !known.has(l.id))];
  const inOrder = all.every((l, k) => k === 0 || (all[k - 1]?.id ?? 0) >= l.id); // nearly always: the new line is the newest
  return inOrder ? all : all.sort((a, b) => b.id - a.id);
}

/** The run with what an act has changed: piles and open sums as they are now, notes that wait. */
function withChange(run: Run, c: Change): Run {
  const piles = new Map(run.piles.map((p) => [p.kind + p.place, p]));
  for (const p of c.piles) piles.set(p.kind + p.place, p);
  const open = new Map(run.open.map((o) => [o.patron_id, o]));
  for (const o of c.open) open.set(o.patron_id, o);
  const seen = new Set(c.lines.map((l) => l.id));
  const waits = c.lines.filter((l) => l.note_answer === "open" && !l.undone);
  return {
    ...run,
    piles: [...piles.values()].filter((p) => p.count > 0),
    open: [...open.values()].filter((o) => o.lines > 0),
    notes: [...waits, ...run.notes.filter((l) => !seen.has(l.id))],
  };
}

/** Takes in what an act has changed of a run, whichever is shown now. */
export function changed(c: Change) {
  returns.setState(({ runs, changes }) => ({
    changes: changes + 1,
    runs: Object.fromEntries(
      Object.entries(runs).map(([session, o]) => [
        session,
        o.run.id === c.run ? { ...o, run: withChange(o.run, c), fresh: merged(c.lines, o.fresh) } : o,
      ]),
    ),
  }));
}

/** Puts a run in its place, as the server has it. */
export function show(session: string, run: Run) {
  returns.setState(({ runs, changes }) => ({
    changes: changes + 1,
    runs: { ...runs, [session]: runs[session]?.run.id === run.id ? { ...runs[session], run } : { run, fresh: [] } },
  }));
}

const close = (session: string) =>
  returns.setState(({ runs, closed }) => ({
    runs: Object.fromEntries(Object.entries(runs).filter(([s]) => s !== session)),
    closed: closed + 1,
  }));

/** Opens the run of a session, or goes on with it. */
export const openRun = (session: string, key: string) =>
  api.POST("/api/returns", {
    params: { header: keyed(key) },
    headers: madeAt(parts(session).branch),
    body: { mode: parts(session).mode, bin: parts(session).bin || undefined },
  });

/**
 * Looks at the run of a session as the server has it. What a scan or an answer has changed here while that was asked for
 * is newer, and stays.
 */
export async function lookAtRun(session: string) {
  const before = returns.getState().changes;
  const run = await surely((key) => openRun(session, key));
  const { runs, changes } = returns.getState();
  if (changes === before || !runs[session]) show(session, run);
  return run;
}

/** Whether somebody has finished a run meanwhile. */
const finished = async (run: number) =>
  (await told(api.GET("/api/returns/{id}", { params: { path: { id: run } } }))).finished;

async function take(scan: Scan, send: Send): Promise<Outcome> {
  const known = returns.getState().runs[scan.session]?.run;
  const run = known ?? (await send((key) => openRun(scan.session, key), "apart"));
  if (!known) show(scan.session, run);
  if (scan.what === "finish") return finishRun(scan, send);
  if (!scan.adopted) closeFound(); // what was found by words before is looked at no longer
  try {
    const change = await send((key) =>
      api.POST("/api/returns/{id}/scan", {
        params: { path: { id: run.id }, header: keyed(key) },
        headers: madeAt(scan.branch),
        body: { text: scan.text },
      }),
    );
    for (const code of change.several ?? []) add("returns", code);
    if (change.found) {
      if (!scan.adopted)
        returns.setState({ found: { words: scan.text, rows: change.found, more: change.more ?? false } });
      return { state: "ask", gone: true };
    }
    if (change.lines.length === 0) return { state: "done", gone: true };
    changed(change);
    scannedHere(scan.session, change.lines);
    secureAsIs(change.lines[0], scan.text);
    return { state: stateOf(change.lines[0]), gone: true };
  } catch (e) {
    // The run was finished elsewhere: the scan goes into the next one.
    if (known && e instanceof Problem && e.status === 409 && (await finished(run.id))) {
      close(scan.session);
      return take(scan, send);
    }
    throw e;
  }
}

/** The security of what has come back is on again, and off again where that is undone. */
export function secureAsIs(line?: Line, text?: string) {
  if (!line?.barcode) return;
  // Undone, a thing is with its patron again; one that was on loan to nobody stays here.
  const lent = line.kind === "on_loan" || line.kind === "late" || line.kind === "lost";
  secure([text, line.barcode], !(line.undone && lent), line.title);
}

const stateOf = (line?: Line) =>
  line?.answer === "open" || line?.note_answer === "open" ? "ask" : line?.sign.kind === "aside" ? "wrong" : "done";

/** Piles of a run that nobody has ticked off, where the network wants a last look. */
export const unseen = (run: Run) =>
  run.mode === "bin" && who.getState().me?.counter.last_look ? run.piles.filter((p) => !p.seen) : [];

export const closeFound = () => returns.setState({ found: undefined });

/**
 * Takes in what another station has scanned into the same bin. It asks for the newest lines alone; where more are new, the pages are
 * asked for again.
 */
export async function hearNews(session: string) {
  const open = returns.getState().runs[session];
  if (!open) return null;
  const id = open.run.id;
  const before = returns.getState().changes;
  const [run, part] = await Promise.all([
    told(api.GET("/api/returns/{id}", { params: { path: { id } } })),
    told(api.GET("/api/returns/{id}/lines", { params: { path: { id }, query: { most: newest } } })),
  ]);
  if (returns.getState().runs[session]?.run.id !== id) return null;
  const known = new Set(open.fresh.map((l) => l.id));
  // What a scan or an answer has changed here meanwhile is newer; it brings news of its own.
  if (returns.getState().changes !== before) return false;
  show(session, run);
  changed({ run: id, lines: part.rows, piles: [], open: [] });
  return part.rows.filter((l) => !known.has(l.id)).length >= newest;
}

/** How many lines are asked for when something has changed. */
const newest = 10;

async function finishRun(scan: Scan, send: Send): Promise<Outcome> {
  const open = returns.getState().runs[scan.session];
  if (!open) return { state: "done", gone: true };
  if (!scan.given.sure && (open.run.open.length + open.run.notes.length > 0 || unseen(open.run).length > 0))
    return { state: "ask" };
  await send((key) =>
    api.POST("/api/returns/{id}/finish", {
      params: { path: { id: open.run.id }, header: keyed(key) },
      headers: madeAt(scan.branch),
    }),
  );
  close(scan.session);
  return { state: "done", gone: true };
}

takers.set("returns", {
  session: () => sessionOf(modeHere()),
  take,
  settled: (scan) => {
    if (scan.what === "scan" && (scan.state === "done" || scan.state === "ask" || scan.state === "wrong"))
      play(scan.state);
  },
});

/** Finishes the run of a session, after what was scanned into it; sure: whatever is open still. */
export function finish(session: string, sure: boolean) {
  const mine = (s: Scan) => s.taker === "returns" && s.session === session && s.what === "finish";
  if (scans.getState().scans.some((s) => mine(s) && s.state !== "ask")) return;
  drop(mine);
  add("returns", "", { what: "finish", session, given: { sure } });
}

/** Forgets one patron, in what was brought back here; the server has the runs. */
export const forgetPatron = (patron: number) =>
  returns.setState(({ runs }) => ({
    found: undefined,
    runs: Object.fromEntries(
      Object.entries(runs).map(([session, o]) => [
        session,
        { ...o, run: { ...o.run, open: o.run.open.filter((p) => p.patron_id !== patron) }, fresh: [] },
      ]),
    ),
  }));

/** Forgets the runs of this window, when somebody signs out; the server has them. */
export function clear() {
  drop((s) => s.taker === "returns" && !waits(s));
  returns.setState({ chosen: undefined, runs: {}, closed: 0, changes: 0 });
}
