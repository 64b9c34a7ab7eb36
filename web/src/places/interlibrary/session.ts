import { createStore } from "zustand/vanilla";
import { api, keyed, madeAt, type Schema } from "../../api/client";
import { drop, open, scans, takers, type Scan } from "../../shell/scans/scans";
import { sound } from "../../shell/sound";

type Scanned = Schema["InterlibraryScanned"];
export const scannedOf = (s: Scan) => s.result as Scanned | undefined;

const nothing = { words: "", asking: false, whom: undefined, taken: undefined };

/** What is asked for outside, and what was received last. Words and product codes search; a card or an item never leaves the house. */
export const outside = createStore<{ words: string; asking: boolean; whom?: Whom; taken?: Taken }>(() => nothing);

/** Forgets what was asked for and for whom, when somebody else comes. */
export function clear() {
  outside.setState(nothing, true);
  drop((s) => s.taker === "interlibrary" && !open(s));
}

/** For whom something is asked, where that is known beforehand. */
export interface Whom {
  id: number;
  name: string;
  pickup: string;
}

/** What was received, with where it goes. */
export interface Taken {
  sign: Schema["MovingSign"];
  title: string;
  code: string;
}

/** Forgets one patron, if something is asked for them. */
export const forgetPatron = (patron: number) => {
  if (outside.getState().whom?.id === patron) outside.setState({ whom: undefined });
};

/** How many answered scans stay on the screen. */
const kept = 8;

takers.set("interlibrary", {
  session: () => "outside",

  take: async (scan, send) => {
    const found = await send((key) =>
      api.POST("/api/interlibrary/scan", {
        params: { header: keyed(key) },
        headers: madeAt(scan.branch),
        body: { text: scan.text },
      }),
    );
    if (found.kind === "search") {
      outside.setState({ words: scan.text, asking: true, whom: undefined });
      return { state: "done", gone: true };
    }
    if (found.sign && found.request)
      outside.setState({
        taken: { sign: found.sign, title: found.request.title, code: found.request.barcode },
      });
    return { state: found.kind === "wrong" ? "wrong" : "done", says: found.says, result: found };
  },

  settled: (scan) => {
    sound(scan);
    const lines = scans.getState().scans.filter((s) => s.taker === "interlibrary");
    const old = new Set(lines.slice(0, -kept).flatMap((s) => (s.state === "done" ? [s.id] : [])));
    if (old.size > 0) drop((s) => old.has(s.id));
  },
});
