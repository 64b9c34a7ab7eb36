import { createStore } from "zustand/vanilla";
import { api } from "../../api/client";
import { drop, open, takers } from "../../shell/scans/scans";
import { sound } from "../../shell/sound";

const nothing = { words: "", asking: false };

/** What is asked for outside. Words and product codes search; a card or an item never leaves the house. */
export const outside = createStore<{ words: string; asking: boolean; whom?: Whom }>(() => nothing);

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

/** Forgets one patron, if something is asked for them. */
export const forgetPatron = (patron: number) => {
  if (outside.getState().whom?.id === patron) outside.setState({ whom: undefined });
};

takers.set("interlibrary", {
  session: () => "outside",

  take: async (scan, send) => {
    const read = await send(() => api.GET("/api/scanned", { params: { query: { text: scan.text } } }));
    if (read.kind === "words" || read.product) {
      outside.setState({ words: scan.text, asking: true, whom: undefined });
      return { state: "done", gone: true };
    }
    if (read.kind === "card")
      return {
        state: "wrong",
        says: "This is a patron’s card. It was not sent to any partner. Scan cards at the Desk.",
        result: { patron: read.patron },
      };
    if (read.kind === "item")
      return {
        state: "wrong",
        says: "This is one of our items. It was not sent to any partner. Return it under Returns, or find it under Items.",
        result: { item: read.item },
      };
    return { state: "wrong", says: read.says };
  },

  settled: sound,
});
