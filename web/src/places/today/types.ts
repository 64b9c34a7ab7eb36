import type { Schema } from "../../api/client";

export type Row = Schema["TodayRow"];

/** Where a number leads. */
export type To = "/fetch" | "/holds" | "/courier" | "/notices" | "/items";
