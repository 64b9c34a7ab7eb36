/** The tabs of the place, in their order. */
export const holdsTabs = [
  ["open", "Open holds"],
  ["shelf", "Hold shelf"],
  ["clear", "Expired"],
  ["calls", "To call"],
  ["demand", "High demand"],
  ["stuck", "No copy available"],
] as const;
