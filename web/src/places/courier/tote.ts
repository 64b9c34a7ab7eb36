import { useAskAgain } from "../../api/asked";
import { api, keyed, type Answer, type Schema } from "../../api/client";
import { printSlip } from "../../circulation/print";
import { slipsPrint } from "../../shell/settings";
import { useWrite } from "../../shell/write";

export type Tote = Schema["TotesTote"];
export type Detail = Schema["TotesDetail"];
export type Unpacked = Schema["TotesUnpacked"];

/** What a step is called, once it is done. */
export const sayStep: Record<Schema["TotesStep"]["step"], string> = {
  begin: "Started",
  close: "Closed",
  leave: "Taken by the courier",
  pass: "Seen on the way",
  come: "Arrived",
  unpack: "All of it arrived",
  finish: "Rest not in it",
  lose: "Declared lost",
};

/** How a tote stands, in a word or two. */
export function sayState(t: Tote): string {
  switch (t.state) {
    case "open":
      return "Open";
    case "closed":
      return "Closed";
    case "away":
      return t.stranded ? "Overdue" : t.late ? "Late" : "On its way";
    case "here":
      return "Being unpacked";
    case "empty":
      return "Unpacked";
    default:
      return "Declared lost";
  }
}

/** Something done with a tote; what is shown of totes is asked for again. */
function useTote<I, T>(
  name: string,
  about: string,
  send: (given: I, key: string) => Promise<Answer<T>>,
  done?: (answer: T) => void,
) {
  const askAgain = useAskAgain();
  return useWrite(send, {
    name,
    about: () => about,
    done: (answer: T) => {
      askAgain("totes", "tote", "past totes", "transits");
      done?.(answer);
    },
  });
}

const at = (id: number, key: string) => ({ path: { id }, header: keyed(key) });

export const useBegin = (done: (t: Detail) => void) =>
  useTote(
    "tote begun",
    "Starting a tote",
    ({ to, gather }: { to: string; gather: boolean }, key) =>
      api.POST("/api/totes", { params: { header: keyed(key) }, body: { to_branch: to, gather } }),
    done,
  );

/** Closes a tote; its label prints by itself where the station is set so. */
export const useClose = (t: Tote) =>
  useTote(
    `tote closed ${t.id}`,
    `Closing tote ${t.number}`,
    (next: boolean, key) => api.POST("/api/totes/{id}/close", { params: at(t.id, key), body: { next } }),
    () => slipsPrint() && void printSlip({ kind: "tote", id: t.id }).catch(() => undefined),
  );

export const useGather = (t: Tote) =>
  useTote(`tote gathers ${t.id}`, `Adding items to tote ${t.number}`, (_: undefined, key) =>
    api.POST("/api/totes/{id}/gather", { params: at(t.id, key) }),
  );

export const useTakeOut = (t: Tote) =>
  useTote(`out of tote ${t.id}`, `Taking an item out of tote ${t.number}`, (transit_id: number, key) =>
    api.POST("/api/totes/{id}/out", { params: at(t.id, key), body: { transit_id } }),
  );

export const useLeft = (name: string) =>
  useTote(`totes left ${name}`, "Handing totes to the courier", (totes: number[], key) =>
    api.POST("/api/totes/left", { params: { header: keyed(key) }, body: { totes } }),
  );

export const useUnpack = (t: Tote, done: (u: Unpacked) => void) =>
  useTote(
    `tote unpacked ${t.id}`,
    `Unpacking all of tote ${t.number}`,
    (_: undefined, key) => api.POST("/api/totes/{id}/unpack", { params: at(t.id, key) }),
    done,
  );

export const useFinish = (t: Tote) =>
  useTote(`tote finished ${t.id}`, `Recording what was not in tote ${t.number}`, (_: undefined, key) =>
    api.POST("/api/totes/{id}/finish", { params: at(t.id, key) }),
  );

export const useLose = (t: Tote) =>
  useTote(`tote lost ${t.id}`, `Declaring tote ${t.number} lost`, (_: undefined, key) =>
    api.POST("/api/totes/{id}/lost", { params: at(t.id, key) }),
  );

export const useBack = (id: number, done: (gone: boolean) => void) =>
  useTote(
    `tote back ${id}`,
    "Undoing the last step of a tote",
    (step: number, key) => api.POST("/api/totes/{id}/back", { params: at(id, key), body: { step } }),
    (answer) => done(!answer.tote),
  );
