import { createStore } from "zustand/vanilla";
import { api, keyed, madeAt, type Schema } from "../../api/client";
import { drop, open as waits, takers } from "../../kit/scans/scans";
import { sound } from "../../kit/sound";

/** The roster that is open here, into which cards and school numbers are scanned; 0: none is. */
export const here = createStore<{ roster: number; scanned: number }>(() => ({ roster: 0, scanned: 0 }));

export type Scanned = Schema["RostersScanned"];

takers.set("rosters", {
  session: () => String(here.getState().roster || ""),

  take: async (scan, send) => {
    // Where no roster is open a scan is what it is everywhere else.
    if (!scan.session) {
      const house = takers.get("house");
      if (!house) throw new Error("There is no house.");
      return house.take({ ...scan, session: house.session() }, send);
    }
    const done = await send((key) =>
      api.POST("/api/rosters/{id}/scans", {
        params: { path: { id: Number(scan.session) }, header: keyed(key) },
        headers: madeAt(scan.branch),
        body: { text: scan.text },
      }),
    );
    here.setState(({ scanned }) => ({ scanned: scanned + 1 }));
    return { state: done.kind === "wrong" ? "wrong" : "done", says: done.says, result: done };
  },

  settled: sound,
});

/** Forgets what was scanned here, when somebody signs out. */
export function clear() {
  drop((s) => s.taker === "rosters" && !waits(s));
  here.setState({ roster: 0, scanned: 0 });
}
