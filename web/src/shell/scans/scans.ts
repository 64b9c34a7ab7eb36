import { useMemo } from "react";
import { useStore } from "zustand";
import { personHere } from "../../api/station";
import { keeper } from "./keep";
import { createQueue, open, type Scan, type Taker } from "./queue";

export type { Outcome, Scan, Send, State, Taker } from "./queue";
export { open } from "./queue";

/** Who takes scans, by name. Takers are small and always there; the places that show them come when they are needed. */
export const takers = new Map<string, Taker>();

/** The queue of this window. */
export const scans = createQueue(keeper, takers);

export const { add, again, change, drop, strike, adopt, go } = scans.getState();

/** Lines of a taker that are on this person's tape, newest first; of one session where it is named. */
export function useScans(taker: string, session?: string): Scan[] {
  const all = useStore(scans, (q) => q.scans);
  return useMemo(
    () =>
      all
        .filter(
          (s) => s.taker === taker && s.person === personHere() && (session === undefined || s.session === session),
        )
        .reverse(),
    [all, taker, session],
  );
}

/** How many of this person's scans are not answered yet. */
export const useWaiting = () =>
  useStore(scans, (q) => q.scans.filter((s) => open(s) && s.person === personHere()).length);

/** How many scans wait here for somebody else, who has made them. */
export const useOthers = () =>
  useStore(scans, (q) => q.scans.filter((s) => open(s) && s.person !== personHere()).length);

/** The newest end of a session that waits for what was scanned before it. */
export function useFinishing(taker: string, session?: string) {
  const lines = useScans(taker, session);
  const end = lines.find((s) => s.what === "finish");
  const before = end ? lines.filter((s) => open(s) && s.what === "scan" && s.at <= end.at).length : 0;
  return { end, before };
}
