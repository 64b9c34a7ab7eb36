/** The tabs of the place, in their order. */
export const rostersTabs = [
  ["rosters", "Rosters"],
  ["lists", "Import lists"],
  ["answers", "Consents"],
  ["done", "Activity"],
] as const;
