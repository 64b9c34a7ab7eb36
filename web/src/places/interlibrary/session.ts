import { createStore } from "zustand/vanilla";
import { api } from "../../api/client";
import { takers } from "../../kit/scans/scans";
import { sound } from "../../kit/sound";

/** What is asked for outside. Words and product codes search; a card or an item never leaves the house. */
export const outside = createStore<{ words: string; asking: boolean; whom?: Whom }>(() => ({
  words: "",
  asking: false,
}));

/** For whom something is asked, where that is known beforehand. */
export interface Whom {
  id: number;
  name: string;
  pickup: string;
}

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
        says: "This is a patron's card, and it was sent to nobody. Cards belong to the Desk.",
        result: { patron: read.patron },
      };
    if (read.kind === "item")
      return {
        state: "wrong",
        says: "This is an item of ours, and it was sent to nobody. Take it back at Returns, or look at it under Items.",
        result: { item: read.item },
      };
    return { state: "wrong", says: read.says };
  },

  settled: sound,
});
