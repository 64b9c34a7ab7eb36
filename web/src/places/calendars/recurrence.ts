/** Recurrence rules of RFC 5545, as people say them and as they choose them. */

const units = { DAILY: "day", WEEKLY: "week", MONTHLY: "month", YEARLY: "year" } as const;
type Frequency = keyof typeof units;

const weekdays = ["SU", "MO", "TU", "WE", "TH", "FR", "SA"];
const dayNames = ["Sunday", "Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday"];
const order: Record<string, string> = { "1": "first", "2": "second", "3": "third", "4": "fourth", "-1": "last" };

/** A rule in words. One that these words do not cover is said to have one. */
export function sayRule(rule: string): string {
  const parts = Object.fromEntries(rule.split(";").map((p) => p.split("=") as [string, string]));
  const known = Object.keys(parts).every((k) => ["FREQ", "INTERVAL", "BYDAY"].includes(k));
  const unit = units[parts.FREQ as Frequency] as string | undefined;
  if (!unit || !known) return "recurring, by a custom rule";
  const every = Number(parts.INTERVAL ?? "1");
  const often = every === 1 ? `every ${unit}` : every === 2 ? `every other ${unit}` : `every ${every} ${unit}s`;
  if (!parts.BYDAY) return often;
  const found = /^(-?\d)?([A-Z]{2})$/.exec(parts.BYDAY);
  const day = found && dayNames[weekdays.indexOf(found[2] ?? "")];
  if (!day) return "recurring, by a custom rule";
  return found[1] ? `${often} on the ${order[found[1]] ?? found[1]} ${day}` : `${often} on ${day}`;
}

export const kinds = [
  ["year", "every year on that date"],
  ["month", "every month on that day"],
  ["nth", "every month on that weekday, such as the second Tuesday"],
  ["last", "every month on the last such weekday"],
  ["week", "every week"],
  ["fortnight", "every other week"],
] as const;

export type Kind = (typeof kinds)[number][0];

/** The rule of a choice, for a closure that begins on a date. */
export function ruleOf(kind: Kind, from: string): string {
  const date = new Date(from + "T12:00:00Z");
  const day = weekdays[date.getUTCDay()] ?? "MO";
  switch (kind) {
    case "year":
      return "FREQ=YEARLY";
    case "month":
      return "FREQ=MONTHLY";
    case "nth":
      return `FREQ=MONTHLY;BYDAY=${Math.ceil(date.getUTCDate() / 7)}${day}`;
    case "last":
      return `FREQ=MONTHLY;BYDAY=-1${day}`;
    case "week":
      return "FREQ=WEEKLY";
    case "fortnight":
      return "FREQ=WEEKLY;INTERVAL=2";
  }
}
