import { useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";

/** A part of the work in which something has changed, as the server tells it (`event.Area`). */
export type Area = "counter" | "holds" | "interlibrary" | "notices" | "rules" | "calendars" | "sweeps";

/**
 * All that is asked of the server and kept, by the first word of its key, with the areas whose changes make it old. What has none is
 * asked for once by whoever needs it, or changes only by what this window itself does.
 */
const asked = {
  account: ["counter"],
  alike: [],
  beside: ["counter"],
  bins: ["counter"],
  calendar: ["calendars"],
  "calendar changes": ["calendars"],
  calls: ["notices", "holds"],
  "card payment": ["counter"],
  "card payments": ["counter"],
  changes: [],
  check: ["rules"],
  closing: [],
  compare: ["rules"],
  copies: ["interlibrary"],
  "courier day": [],
  deeds: ["counter"],
  demand: ["holds"],
  disputes: ["counter"],
  fetch: ["holds"],
  flows: [],
  forgetting: [],
  grid: ["rules"],
  guide: [],
  history: ["counter"],
  "hold shelf": ["holds"],
  holds: ["holds"],
  "household charges": ["counter"],
  intakes: [],
  invoice: ["counter"],
  invoices: ["counter"],
  "item terms": [],
  items: ["counter", "holds"],
  "lent now": [],
  lines: [],
  link: [],
  loan: ["counter"],
  looks: ["counter"],
  mailings: ["notices"],
  me: ["calendars"],
  merge: [],
  messages: ["notices"],
  "move up": [],
  network: [],
  outside: [],
  "notice plans": [],
  "notice week": ["notices"],
  own: [],
  "tried wording": [],
  "past totes": ["holds"],
  patron: ["counter", "holds"],
  "patron form": [],
  patrons: [],
  preview: [],
  putting: [],
  queue: ["holds"],
  ranked: [],
  readings: [],
  receipt: ["counter"],
  receipts: ["counter"],
  record: [],
  "record to change": [],
  records: [],
  refunds: ["counter"],
  rehearsal: [],
  rehearsals: ["rules"],
  reports: ["rules"],
  requests: ["counter", "interlibrary", "holds"],
  rest: ["counter"],
  roster: ["counter"],
  "roster members": ["counter"],
  rosters: ["counter"],
  rulebook: ["rules"],
  rules: ["rules"],
  run: [],
  "run news": ["counter"],
  sharing: [],
  shelf: [],
  "sign-up": [],
  "sign-ups": ["counter"],
  sought: ["counter"],
  staff: [],
  status: [],
  "stock deeds": ["counter"],
  strays: ["holds"],
  "stuck holds": ["holds"],
  sweep: ["sweeps"],
  sweeps: ["sweeps"],
  takings: ["counter"],
  tills: ["counter"],
  title: ["counter"],
  titles: ["counter", "holds"],
  today: ["counter", "holds", "notices"],
  tote: ["holds"],
  totes: ["holds"],
  town: [],
  transits: ["holds"],
  trips: [],
  waivers: ["counter"],
} as const satisfies Record<string, readonly Area[]>;

export type Asked = keyof typeof asked;

/** The key of a question: what is asked for, then of what. */
export type Key = readonly [Asked, ...unknown[]];

declare module "@tanstack/react-query" {
  interface Register {
    queryKey: Key;
  }
}

/** What is old after a change in some areas. */
export const askedIn = (areas: ReadonlySet<string>) =>
  new Set(
    Object.entries(asked)
      .filter(([, of]) => of.some((a) => areas.has(a)))
      .map(([what]) => what as Asked),
  );

/** Asks again for what is shown of some things, after they have been changed here; without any, for everything. */
export function useAskAgain() {
  const queries = useQueryClient();
  return useCallback(
    (...things: Asked[]) => {
      if (things.length === 0) void queries.invalidateQueries();
      for (const thing of things) void queries.invalidateQueries({ queryKey: [thing] });
    },
    [queries],
  );
}
