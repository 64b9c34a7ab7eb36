import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useStore } from "zustand";
import { createStore } from "zustand/vanilla";
import { api, told, wrongBranch, type Schema } from "../api/client";
import { workHere } from "../api/station";

export type Me = Schema["Me"];

export async function askMe(): Promise<Me> {
  try {
    return await told(api.GET("/api/me"));
  } catch (e) {
    if (!wrongBranch(e)) throw e;
    workHere(undefined); // signed in anew: at one's own branch
    return told(api.GET("/api/me"));
  }
}

/** The question who is signed in, where, and when it is. */
export const meQuery = { queryKey: ["me"] as const, queryFn: askMe, retry: true, retryDelay: 1000, staleTime: 10_000 };

/** Who works in this window. It is kept while nobody is signed in, so that the house and the tape stay. */
export const who = createStore<{ me?: Me }>(() => ({}));

/** Who works in this window. Inside the house somebody always does. */
export function useMe(): Me {
  const me = useStore(who, (w) => w.me);
  if (!me) throw new Error("useMe outside of the house");
  return me;
}

/** The instant that it is now, by the network's one clock, in steps of some seconds. */
export function useNow(me: Me): string {
  const { dataUpdatedAt } = useQuery(meQuery);
  const [now, setNow] = useState(me.now);
  useEffect(() => {
    const tick = () => setNow(new Date(Date.parse(me.now) + Date.now() - dataUpdatedAt).toISOString());
    tick();
    const timer = setInterval(tick, 5000);
    return () => clearInterval(timer);
  }, [me.now, dataUpdatedAt]);
  return now;
}

/** The branches where somebody may work. */
export const worksAt = (me: Me) => me.branches.filter((b) => me.works.includes(b.code));

/** The name of the branch where somebody works. */
export const branchName = (me: Me, code = me.branch) => me.branches.find((b) => b.code === code)?.name ?? code;
