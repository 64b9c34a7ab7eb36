import { createStore } from "zustand/vanilla";
import { api, keyed, madeAt, type Schema } from "../../api/client";
import { toHouse } from "../../shell/scans/house";
import { drop, open as waits, takers } from "../../shell/scans/scans";
import { sound } from "../../shell/sound";

/** How many scans have been answered here: after each, the open roster is looked at again. */
export const answered = createStore<{ scans: number }>(() => ({ scans: 0 }));

/** The roster that the window is at, as its address has it: known before the place has loaded. */
const rosterHere = () => new URLSearchParams(location.search).get("roster") ?? "";

export type Scanned = Schema["RostersScanned"];

takers.set("rosters", {
  session: rosterHere,

  take: async (scan, send) => {
    // Where no roster is open a scan is what it is everywhere else.
    if (!scan.session) return toHouse(scan, send);
    const done = await send((key) =>
      api.POST("/api/rosters/{id}/scans", {
        params: { path: { id: Number(scan.session) }, header: keyed(key) },
        headers: madeAt(scan.branch),
        body: { text: scan.text },
      }),
    );
    answered.setState(({ scans }) => ({ scans: scans + 1 }));
    return { state: done.kind === "wrong" ? "wrong" : "done", says: done.says, result: done };
  },

  settled: sound,
});

/** Forgets what was scanned here, when somebody signs out. */
export const clear = () => drop((s) => s.taker === "rosters" && !waits(s));
