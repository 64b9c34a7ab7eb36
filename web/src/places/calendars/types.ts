import type { Schema } from "../../api/client";

export type Calendar = Schema["CalendarsCalendar"];

/** A change of calendars, before it is said for which branches and which version of them. */
export type Change = Omit<Schema["CalendarsChange"], "branches" | "version">;
