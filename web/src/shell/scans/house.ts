import { api } from "../../api/client";
import { sound } from "../sound";
import { open, scans, takers, type Outcome, type Scan, type Send } from "./scans";

/**
 * Takes what is scanned where nothing else does. The server says what it is; a card opens at the desk, an item and words
 * are looked up. Nobody is taken away from a place to which they have gone meanwhile.
 */

/** Where the house goes, as its router knows it. */
export interface Way {
  here: () => string;
  desk: () => void;
  item: (id: number) => void;
  titles: (words: string) => void;
  patrons: (words: string) => void;
}

/** What a line of the house leads to, where the person has gone on before it was known. */
export interface Found {
  item?: number;
  words?: string;
}
export const foundOf = (s: Scan) => s.result as Found | undefined;

/** A card leads to the desk, and with it all that was scanned after it before the desk was on the screen. */
const toDesk = (scan: Scan) =>
  scans.setState(({ scans: all }) => ({
    scans: all.map((s) =>
      s.id === scan.id || (s.taker === "house" && s.person === scan.person && s.adopted === scan.adopted && open(s))
        ? { ...s, taker: "desk" }
        : s,
    ),
  }));

/** Gives a scan of a place to the house, which shows it below the strip: a line stands where somebody looks for it. */
export function toHouse(scan: Scan, send: Send): Promise<Outcome> {
  const house = takers.get("house");
  if (!house) throw new Error("There is no house.");
  const theirs = { ...scan, taker: "house", session: house.session() };
  scans.setState(({ scans: all }) => ({
    scans: all.map((s) => (s.id === scan.id ? { ...s, ...ofHouse(theirs) } : s)),
  }));
  return house.take(theirs, send);
}
const ofHouse = ({ taker, session }: Scan) => ({ taker, session });

export function openHouse(way: Way) {
  takers.set("house", {
    session: way.here,

    take: async (scan, send) => {
      const read = await send(() => api.GET("/api/scanned", { params: { query: { text: scan.text } } }));
      const still = way.here() === scan.session && !scan.adopted;
      if (read.kind === "card") {
        const desk = takers.get("desk");
        if (!desk) throw new Error("There is no desk.");
        toDesk(scan);
        if (still) way.desk();
        return desk.take(scan, send);
      }
      if (read.kind === "item") {
        if (!still) return { state: "done", result: { item: read.item } };
        way.item(read.item ?? 0);
        return { state: "done", gone: true };
      }
      if (read.kind === "words" || read.product) {
        if (!still) return { state: "done", result: { words: scan.text } };
        if (way.here() === "/patrons" && !read.product) way.patrons(scan.text);
        else way.titles(scan.text);
        return { state: "done", gone: true };
      }
      return { state: "wrong", says: read.says };
    },

    settled: sound,
  });
}
