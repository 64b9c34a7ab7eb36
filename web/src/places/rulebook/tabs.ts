/** The tabs of the place, in their order. */
export const rulebookTabs = [
  ["grid", "Grid"],
  ["rules", "Rules"],
  ["compare", "Compare"],
  ["examples", "Examples"],
  ["rehearsal", "Rehearsal"],
  ["reports", "Reports"],
  ["file", "File"],
] as const;

/** Tabs that only supervisors open. */
export const supervisorsTabs = ["rehearsal", "reports"];
