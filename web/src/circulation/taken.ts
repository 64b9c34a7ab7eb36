import { api, keyed, madeAt, type Schema } from "../api/client";
import { secure } from "./pad/pad";
import { sound } from "../shell/sound";
import { drop, open, scans, takers, type Scan } from "../shell/scans/scans";

/** Scans of items in hand that are not on loan: fetched from a shelf, out of a tote, or found. A list is its place's. */

export type Taken = Schema["HoldsTaken"];
export const takenOf = (s: Scan) => s.result as Taken | undefined;

/** How many answered lines of a list stay on its tape. */
const kept = 30;

takers.set("in-hand", {
  session: () => window.location.pathname,

  take: async (scan, send) => {
    const taken = await send((key) =>
      api.POST("/api/in-hand", {
        params: { header: keyed(key) },
        headers: madeAt(scan.branch),
        body: { text: scan.text },
      }),
    );
    // What is on loan to nobody is heard at the gate.
    if (taken.ok) secure([scan.text, taken.barcode], true, taken.title);
    return { state: taken.ok ? "done" : "wrong", result: taken };
  },

  settled: (scan) => {
    sound(scan);
    const lines = scans.getState().scans.filter((s) => s.taker === "in-hand" && s.session === scan.session);
    const old = new Set(lines.slice(0, -kept).flatMap((s) => (s.state === "done" ? [s.id] : [])));
    if (old.size > 0) drop((s) => old.has(s.id));
  },
});

export const clearInHand = () => drop((s) => s.taker === "in-hand" && !open(s));
