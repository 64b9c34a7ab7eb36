/** The tabs of the place, in their order. */
export const interlibraryTabs = [
  ["open", "Open"],
  ["ours", "Waiting for us"],
  ["theirs", "Waiting for others"],
  ["late", "Late"],
  ["new", "New requests"],
  ["parcels", "Parcels"],
  ["ended", "Ended"],
] as const;

export type InterlibraryTab = (typeof interlibraryTabs)[number][0];

/** Which part of the list a tab shows; the others are no lists. */
export const groups: Partial<Record<InterlibraryTab, "" | "ours" | "theirs" | "late" | "ended">> = {
  open: "",
  ours: "ours",
  theirs: "theirs",
  late: "late",
  ended: "ended",
};
