import { JSONRPCClient, JSONRPCServer, JSONRPCServerAndClient } from "json-rpc-2.0";
import { persist } from "zustand/middleware";
import { createStore } from "zustand/vanilla";
import { z } from "zod";
import "../../ui/checks"; // what is checked is not compiled
import { kept } from "../../ui/kept";
import { add, open, scans } from "../../shell/scans/scans";
import { play } from "../../shell/sound";
import * as pile from "./pile";

/**
 * The pad of this station: it reads the tags of a whole pile, and switches their security. The page speaks with it itself, in JSON-RPC 2.0
 * over a WebSocket on the station's own loopback (docs/devices.md). Where it is lost, scanning goes on by hand.
 */

interface Pad {
  /** taken: another window of this station has it. */
  line: "none" | "seeking" | "here" | "taken";
  pile: pile.Pile;
  /** Nothing has come for a while. */
  atRest: boolean;
}

const nothing: Pad = { line: "none", pile: pile.empty, atRest: true };

/** It is kept through a reload, so that what was lent already is not scanned once more. */
export const pad = createStore<Pad>()(
  persist(() => nothing, {
    name: "nevrin pad",
    storage: kept(),
    partialize: (p) => ({ pile: p.pile }),
  }),
);

const tagForm = z.object({
  tag: z.string().min(1).max(100),
  number: z.string().min(1).max(200),
  part: z.number().int().min(1).max(999),
  parts: z.number().int().min(1).max(999),
  secure: z.boolean(),
});
const nameForm = z.object({ tag: z.string().min(1).max(100) });
const lookForm = z.object({ tags: z.array(tagForm).max(1000), silent: z.array(z.string().max(100)).max(1000) });

/** After this long without anything new a pile lies still, and after this long a lost pad is searched for again, in milliseconds. */
const still = 700;
const again = 2000;
/** How long a pad may take for an answer, in milliseconds. */
const patience = 5000;

const asked = (id: string) => scans.getState().scans.some((s) => s.id === id && open(s));

let socket: WebSocket | undefined;
let device: JSONRPCServerAndClient | undefined;
let at = "";
let resting = 0;
let seeking = 0;
const busy = new Set<string>();

const set = (by: (p: pile.Pile) => pile.Pile) => {
  pad.setState(({ pile: p }) => ({ pile: by(p) }));
  switchAll();
};

function stirred() {
  clearTimeout(resting);
  pad.setState({ atRest: false });
  resting = window.setTimeout(() => pad.setState({ atRest: true }), still);
}

/** Switches what lies there and is not as it should be. */
function switchAll() {
  const speaker = device;
  if (!speaker || pad.getState().line !== "here") return;
  for (const { tag, on } of pile.toSwitch(pad.getState().pile)) {
    if (busy.has(tag)) continue;
    busy.add(tag);
    void Promise.resolve(speaker.timeout(patience).request("secure", { tag, on }))
      .then(
        (answer: unknown) => (p: pile.Pile) => pile.laid(p, tagForm.parse(answer)),
        (e: unknown) => {
          play("wrong");
          return (p: pile.Pile) => pile.refused(p, tag, e instanceof Error ? e.message : String(e));
        },
      )
      .then((by) => {
        busy.delete(tag);
        set(by);
      });
  }
}

/** Speaks with the pad at an address from now on; with none where it is empty. */
export function connect(address: string) {
  if (address === at) return;
  at = address;
  hangUp();
  if (address) dial();
  else pad.setState({ line: "none" });
}

/** Takes the pad back from another window of this station. */
export function takeOver() {
  hangUp();
  dial();
}

function hangUp() {
  clearTimeout(seeking);
  const before = socket;
  socket = device = undefined;
  before?.close();
  busy.clear();
}

function dial() {
  const address = at;
  pad.setState({ line: "seeking" });
  const line = new WebSocket(address);
  socket = line;
  const heard = <T>(form: z.ZodType<T>, take: (said: T) => void) => {
    return (said: unknown) => {
      const read = form.safeParse(said);
      if (!read.success) {
        console.error("The pad says what is no", form.description ?? "tag", read.error.message);
        return;
      }
      stirred();
      take(read.data);
    };
  };
  const server = new JSONRPCServer();
  server.addMethod(
    "tag",
    heard(tagForm, (tag) => set((p) => pile.laid(p, tag))),
  );
  server.addMethod(
    "silent",
    heard(nameForm, ({ tag }) => set((p) => pile.unread(p, tag))),
  );
  server.addMethod(
    "gone",
    heard(nameForm, ({ tag }) => set((p) => pile.lifted(p, tag, asked))),
  );
  server.addMethod("taken", () => pad.setState({ line: "taken" }));
  const speaker = new JSONRPCServerAndClient(
    server,
    new JSONRPCClient((message) => line.send(JSON.stringify(message))),
  );
  line.onopen = () => {
    if (socket !== line) return;
    device = speaker;
    void Promise.resolve(speaker.timeout(patience).request("look", {})).then(
      (answer: unknown) => {
        const { tags, silent } = lookForm.parse(answer);
        stirred();
        pad.setState({ line: "here" });
        set((p) => pile.looked(p, tags, silent, asked));
      },
      () => line.close(),
    );
  };
  line.onmessage = (e) => {
    try {
      void speaker.receiveAndSend(JSON.parse(String(e.data)) as never).catch(() => {});
    } catch {
      console.error("The pad says what is no JSON.");
    }
  };
  line.onclose = () => {
    speaker.rejectAllPendingRequests("The line to the pad is lost.");
    if (socket !== line) return;
    socket = device = undefined;
    busy.clear();
    if (pad.getState().line === "taken") return;
    pad.setState({ line: "seeking" });
    seeking = window.setTimeout(() => at === address && !socket && dial(), again);
  };
}

/** Gives what lies there to who takes scans, each thing once. */
export function feed(taker: string) {
  const { pile: p, atRest, line } = pad.getState();
  if (line !== "here") return;
  for (const t of pile.next(p, atRest)) {
    const scan = add(taker, t.number, { given: t.parts > 1 ? { counted: t.here } : {} });
    set((q) => pile.fed(q, t.number, scan));
  }
}

/** The security of a thing is to be so from now on: off as it is lent, on as it comes back. It is known under any of these numbers. */
export function secure(numbers: (string | undefined)[], on: boolean, title: string) {
  const known = numbers.filter((n) => n !== undefined);
  set((p) => pile.wanted(p, known, on, title));
}

export const tryAgain = () => set(pile.unstuck);
export const letBe = (number: string) => set((p) => pile.letBe(p, number));

// What was lifted while it was asked for may be laid on anew once that is answered.
scans.subscribe(() => {
  const { pile: p } = pad.getState();
  const next = pile.answered(p, asked);
  if (next !== p) pad.setState({ pile: next });
});
