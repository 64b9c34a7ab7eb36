/** The tabs of the place, in their order. */
export const courierTabs = [
  ["way", "In transit"],
  ["totes", "Totes"],
  ["day", "Day plan"],
  ["late", "Missing in transit"],
  ["timetable", "Timetable"],
  ["whatif", "What if"],
  ["flows", "Flows"],
] as const;
