import { createStore } from "zustand/vanilla";
import { keyUsed, newKey, Problem, type Answer } from "../../api/client";
import { branchHere, personHere } from "../../api/station";
import { surely } from "../surely";

/**
 * The one queue for scans of every place. A scan is on the tape from its last key on, and in the queue until it is
 * known what became of it. Scans are sent one after the other, in the order in which they were made, each with a key
 * of its own; so what is done at the desk is done as it was meant, however late answers come.
 */

/** waits, sent, unknown: no answer yet. done, ask, wrong: it was answered so. */
export type State = "waits" | "sent" | "unknown" | "done" | "ask" | "wrong";

export interface Scan {
  id: string;
  /** Its idempotency key: another one when it is tried again after an answer. */
  key: string;
  /** Who takes it. */
  taker: string;
  /** What it belongs to: this patron, this run, this list. */
  session: string;
  text: string;
  /** finish: ends the session, once everything before it is answered. */
  what: "scan" | "finish";
  /** What goes with it: the patron of an ask, the stops gone past, a reason. */
  given: Record<string, unknown>;
  person: number;
  branch?: string;
  at: number;
  /** When it was answered, in milliseconds. */
  ended?: number;
  /** The window that is gone and had not got its answer; it changes no session of this one. */
  adopted?: string;
  state: State;
  /** What became of it, in a sentence, where that is not told by the result. */
  says: string;
  result?: unknown;
}

/** What became of a scan. One that needs no line of its own is gone from the tape. */
export interface Outcome {
  state: "done" | "ask" | "wrong";
  says?: string;
  result?: unknown;
  gone?: boolean;
}

/** Sends a write of a scan until it is answered: under the scan's key, or apart from it where it is another thing. */
export type Send = <T>(write: (key: string) => Promise<Answer<T>>, apart?: "apart") => Promise<T>;

/** A place, or several, that do something with scans. */
export interface Taker {
  /** What a scan made now belongs to. */
  session: () => string;
  /** Sends a scan, and says what became of it. */
  take: (scan: Scan, send: Send) => Promise<Outcome>;
  /** Is told of what was answered, after the tape shows it. */
  settled?: (scan: Scan) => void;
}

export interface Queue {
  scans: Scan[];
  add: (taker: string, text: string, more?: Partial<Pick<Scan, "given" | "what" | "session">>) => string;
  /** Tries a scan again: with what is given now, after all that waits. */
  again: (id: string, given?: Record<string, unknown>) => void;
  change: (id: string, by: Partial<Pick<Scan, "state" | "says" | "result" | "ended" | "given">>) => void;
  /** Takes lines off the tape. */
  drop: (which: (s: Scan) => boolean) => void;
  /** Strikes out a scan that waits; one that is being asked for is not asked for any longer. */
  strike: (id: string) => void;
  /** Takes over scans of windows that are gone, before everything else; each goes out with the key it had. */
  adopt: (scans: Scan[]) => void;
  /** Goes on, after somebody has signed in. */
  go: () => void;
}

export const open = (s: Scan) => s.state === "waits" || s.state === "sent" || s.state === "unknown";

/** Where a queue keeps its scans through reloads. */
export interface Keeper {
  load: () => Scan[];
  save: (scans: Scan[]) => void;
}

export function createQueue(keeper: Keeper, takers: Map<string, Taker>) {
  let working = false;
  const giveUp = new Map<string, AbortController>();

  const queue = createStore<Queue>((set, get) => {
    const change: Queue["change"] = (id, by) =>
      set(({ scans }) => ({ scans: scans.map((s) => (s.id === id ? { ...s, ...by } : s)) }));

    // After a reload nobody knows what became of what had been sent.
    const restored = keeper.load().map((s) => (s.state === "sent" ? { ...s, state: "unknown" as const } : s));

    return {
      scans: restored,
      add: (taker, text, more = {}) => {
        const scan: Scan = {
          id: newKey(),
          key: newKey(),
          taker,
          session: takers.get(taker)?.session() ?? "",
          text,
          what: "scan",
          given: {},
          person: personHere(),
          branch: branchHere(),
          at: Date.now(),
          state: "waits",
          says: "",
          ...more,
        };
        set(({ scans }) => ({ scans: [...scans, scan] }));
        void work();
        return scan.id;
      },
      again: (id, given) => {
        const scan = get().scans.find((s) => s.id === id);
        if (!scan || open(scan)) return;
        const anew: Scan = {
          ...scan,
          key: newKey(),
          given: given ?? scan.given,
          person: personHere(),
          branch: branchHere(),
          at: Date.now(),
          state: "waits",
          says: "",
          result: given ? scan.result : undefined,
        };
        set(({ scans }) => ({ scans: [...scans.filter((s) => s.id !== id), anew] }));
        void work();
      },
      change,
      drop: (which) => set(({ scans }) => ({ scans: scans.filter((s) => !which(s)) })),
      strike: (id) => {
        const scan = get().scans.find((s) => s.id === id);
        if (scan?.state === "waits") get().drop((s) => s.id === id);
        else giveUp.get(id)?.abort();
      },
      adopt: (scans) => {
        const theirs = scans.map((s) => ({ ...s, state: s.state === "waits" ? s.state : ("unknown" as const) }));
        set(({ scans: mine }) => ({ scans: [...theirs, ...mine] }));
        void work();
      },
      go: () => void work(),
    };
  });

  // One worker: the next scan is sent when the one before it is answered.
  async function work() {
    if (working) return;
    working = true;
    try {
      for (;;) {
        // What somebody else has scanned here waits for them.
        const next = queue.getState().scans.find((s) => open(s) && s.person === personHere());
        if (!next || personHere() === 0) return;
        await one(next);
      }
    } finally {
      working = false;
    }
  }

  async function one(scan: Scan) {
    const { change, drop } = queue.getState();
    const taker = takers.get(scan.taker);
    if (!taker) {
      change(scan.id, { state: "wrong", says: "This scan cannot be used here." });
      return;
    }
    const left = new AbortController();
    giveUp.set(scan.id, left);
    if (scan.state === "waits") change(scan.id, { state: "sent" });
    let outcome: Outcome;
    try {
      outcome = await taker.take(scan, (write, apart) =>
        surely(write, {
          key: apart ? newKey() : scan.key,
          signal: left.signal,
          onUnknown: (unknown) => change(scan.id, { state: unknown ? "unknown" : "sent" }),
        }),
      );
    } catch (e) {
      outcome = { state: "wrong", says: why(e, left.signal.aborted) };
    }
    giveUp.delete(scan.id);
    if (outcome.gone) drop((s) => s.id === scan.id);
    else
      change(scan.id, {
        state: outcome.state,
        says: outcome.says ?? "",
        result: outcome.result,
        ended: Date.now(),
      });
    const settled = outcome.gone ? { ...scan, ...outcome } : queue.getState().scans.find((s) => s.id === scan.id);
    if (settled) taker.settled?.(settled);
  }

  queue.subscribe(({ scans }) => keeper.save(scans));
  return queue;
}

function why(e: unknown, stopped: boolean) {
  if (stopped) return "Stopped. It may have gone through: check before you scan it again.";
  if (keyUsed(e)) return "It went through the first time it was sent. Check before you scan it again.";
  if (e instanceof Problem) return e.message;
  console.error(e);
  return "Something went wrong in this window. Scan it again.";
}
