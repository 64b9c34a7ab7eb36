/** The tabs of the place, in their order. */
export const itemsTabs = [
  ["titles", "Titles"],
  ["add", "Add"],
  ["many", "Batch changes"],
  ["shelves", "Shelf check"],
  ["sought", "Missing items"],
  ["lent", "On loan"],
  ["done", "Activity"],
] as const;
