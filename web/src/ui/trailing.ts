import type { Query, QueryClient } from "@tanstack/react-query";

/**
 * Asks again for what has changed. A question that is under way is not cut short for it: where something changes all the time it
 * would never be answered. It is asked once more when its answer is there, however often something changed meanwhile.
 */
export function trailing(queries: QueryClient) {
  const owed = new Set<string>();
  const leave = queries.getQueryCache().subscribe((e) => {
    if (e.type !== "updated" || !["success", "error"].includes(e.action.type)) return;
    const { queryHash } = e.query;
    // Once its answer has been passed on.
    if (owed.delete(queryHash)) queueMicrotask(() => ask((q) => q.queryHash === queryHash));
  });
  const ask = (matters: (q: Query) => boolean) => {
    for (const q of queries.getQueryCache().findAll({ predicate: matters, fetchStatus: "fetching" }))
      owed.add(q.queryHash);
    void queries.invalidateQueries({ predicate: matters }, { cancelRefetch: false });
  };
  return { ask, end: leave };
}
