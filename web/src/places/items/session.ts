import { createStore } from "zustand/vanilla";
import { api, madeAt, keyed, type Schema } from "../../api/client";
import { toHouse } from "../../shell/scans/house";
import { drop, open as waits, takers, type Outcome, type Scan, type Send } from "../../shell/scans/scans";
import { sound } from "../../shell/sound";

/** How many scans along shelves have been answered: after each, the open one is looked at again. */
export const answered = createStore<{ scans: number }>(() => ({ scans: 0 }));

/** Items that were scanned onto a pile, to be changed or labelled together. */
export interface Piled {
  id: number;
  barcode: string;
  title: string;
  state: string;
}
export const pile = createStore<{ items: Piled[] }>(() => ({ items: [] }));

export type ShelfLine = Schema["StockShelfLine"];

/** Labels that were scanned for new copies of a title, in order. */
export const labels = createStore<{ title: number; codes: string[] }>(() => ({ title: 0, codes: [] }));

/** What a scan is for, as the address has it: a shelf, new copies of a title, a pile, or the number of a new title. */
function sessionHere(): string {
  const at = new URLSearchParams(location.search);
  const [shelf, title, tab] = [at.get("shelf"), at.get("title"), at.get("tab")];
  if (shelf) return `shelf ${shelf}`;
  if (title) return tab === "copies" ? `copies ${title}` : "";
  return tab === "many" || tab === "add" ? tab : "";
}

export function openItems(toISBN: (text: string) => void) {
  const takes: Record<string, (scan: Scan, send: Send, id: number) => Promise<Outcome>> = {
    shelf: along,
    copies: toCopies,
    many: ontoPile,
    add: async (scan, send) => {
      const read = await readAs(scan, send);
      if (!read.product && read.kind !== "words") return toHouse(scan, send);
      toISBN(scan.text);
      return { state: "done", gone: true };
    },
  };
  takers.set("items", {
    session: sessionHere,

    take: (scan, send) => {
      const [what = "", id] = scan.session.split(" ");
      return takes[what]?.(scan, send, Number(id)) ?? toHouse(scan, send);
    },

    settled: sound,
  });
}

const readAs = (scan: Scan, send: Send) =>
  send(() => api.GET("/api/scanned", { params: { query: { text: scan.text } } }));

async function along(scan: Scan, send: Send, id: number): Promise<Outcome> {
  const line = await send((key) =>
    api.POST("/api/inventories/{id}/scans", {
      params: { path: { id }, header: keyed(key) },
      headers: madeAt(scan.branch),
      body: { text: scan.text },
    }),
  );
  answered.setState(({ scans }) => ({ scans: scans + 1 }));
  return { state: line.good ? "done" : "wrong", says: line.says, result: line };
}

async function ontoPile(scan: Scan, send: Send): Promise<Outcome> {
  const read = await readAs(scan, send);
  const item = read.item;
  if (read.kind !== "item" || !item) return { state: "wrong", says: read.says || "This is not an item label." };
  const list = await send(() => api.GET("/api/items", { params: { query: { item } } }));
  const found = list.rows[0];
  if (!found) return { state: "wrong", says: "This item no longer exists." };
  const piled = { id: found.id, barcode: found.barcode, title: found.title, state: found.state };
  pile.setState(({ items }) => ({ items: [...items.filter((i) => i.id !== piled.id), piled] }));
  return { state: "done", gone: true };
}

/** A label for a new copy: one that nothing has yet. Whether it is one is looked at again when the copies are added. */
async function toCopies(scan: Scan, send: Send, title: number): Promise<Outcome> {
  const read = await readAs(scan, send);
  if (read.kind === "item") return { state: "wrong", says: "This label is already used. Use another one." };
  if (!read.free) return { state: "wrong", says: read.says || "This is not a label." };
  labels.setState(({ title: of, codes }) => ({
    title,
    codes: of === title ? [...codes.filter((c) => c !== read.number), read.number] : [read.number],
  }));
  return { state: "done", gone: true };
}

/** Forgets what was scanned here, when somebody signs out. */
export const clear = () => {
  pile.setState({ items: [] });
  labels.setState({ title: 0, codes: [] });
  drop((s) => s.taker === "items" && !waits(s));
};
