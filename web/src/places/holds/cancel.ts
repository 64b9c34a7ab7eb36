import { useAskAgain } from "../../api/asked";
import { useState } from "react";
import { createStore } from "zustand/vanilla";
import { api, keyed, type Schema } from "../../api/client";
import { useWrite, write } from "../../shell/write";

export type Hold = Schema["HoldsHold"];

/** What has been cancelled here and can be undone. */
export const cancelled = createStore<{ holds: { id: number; title: string }[] }>(() => ({ holds: [] }));

/** Holds that were changed here and can be undone, by when they were changed. */
export const changed = createStore<{ holds: { id: number; title: string; at: string; what: string }[] }>(() => ({
  holds: [],
}));

/** Remembers what an act has made of a hold. */
export const becameOther = (h: Hold, what: string) =>
  changed.setState((s) => ({
    holds: [{ id: h.id, title: h.title, at: h.changed_at ?? "", what }, ...s.holds.filter((o) => o.id !== h.id)],
  }));

export function useChangeBack(id: number, title: string, at: string) {
  const again = useAgain();
  return useWrite(
    (_: undefined, key) =>
      api.POST("/api/holds/{id}/change-back", {
        params: { path: { id }, header: keyed(key) },
        body: { changed_at: at },
      }),
    {
      name: `change back ${id}`,
      about: `The hold on ${title} as it was`,
      done: () => {
        changed.setState((s) => ({ holds: s.holds.filter((o) => o.id !== id) }));
        again();
      },
    },
  );
}

/** What is for one person's eyes goes with them. */
export function clearHolds() {
  cancelled.setState({ holds: [] });
  changed.setState({ holds: [] });
}

const cancelOne = (id: number, reason: string, key: string) =>
  api.POST("/api/holds/{id}/cancel", { params: { path: { id }, header: keyed(key) }, body: { reason } });

/** Why what was placed just now is cancelled at once. */
export const byMistake = "Placed by mistake";

/** What is to be known of a hold to cancel it. */
type Named = Pick<Hold, "id" | "title">;

const nameOf = (h: Named) => `cancel ${h.id}`;
const aboutOf = (h: Named) => `Cancelling the hold on ${h.title}`;
const remember = (h: Named) =>
  cancelled.setState((s) => ({ holds: [{ id: h.id, title: h.title }, ...s.holds.filter((o) => o.id !== h.id)] }));

/** Whatever lists of holds there are look again. */
export function useAgain() {
  const askAgain = useAskAgain();
  return () => {
    askAgain("holds", "queue", "hold shelf", "stuck holds");
  };
}

/** Cancels a hold, for a reason. */
export function useCancel(h: Named) {
  const again = useAgain();
  return useWrite((reason: string, key) => cancelOne(h.id, reason, key), {
    name: nameOf(h),
    about: aboutOf(h),
    done: () => {
      remember(h);
      again();
    },
  });
}

/** Cancels several, each as a write of its own, and gives those that were not; what stood in the way shows in their rows. */
export function useCancelMany() {
  const again = useAgain();
  const [busy, setBusy] = useState(false);
  return {
    busy,
    run: async <N extends Named>(some: N[], reason: string) => {
      setBusy(true);
      const left: N[] = [];
      for (const h of some) {
        const done = await write(nameOf(h), aboutOf(h), (key) => cancelOne(h.id, reason, key));
        if (done) remember(h);
        else left.push(h);
      }
      setBusy(false);
      again();
      return left;
    },
  };
}

export function useRevive(id: number, title: string) {
  const again = useAgain();
  return useWrite(
    (_: undefined, key) => api.POST("/api/holds/{id}/revive", { params: { path: { id }, header: keyed(key) } }),
    {
      name: `revive ${id}`,
      about: `The hold on ${title} again`,
      done: () => {
        cancelled.setState((s) => ({ holds: s.holds.filter((o) => o.id !== id) }));
        again();
      },
    },
  );
}
