import * as english from "chrono-node/en";
import { sayFullDate, styleHere, today } from "./say";

const iso = (year: number, month: number, day: number) => {
  const at = new Date(Date.UTC(year, month - 1, day));
  // A day that the month does not have would run over into the next one.
  return at.getUTCMonth() === month - 1 && at.getUTCDate() === day ? at.toISOString().slice(0, 10) : undefined;
};

/** A year of two figures is the one of that ending from eighty years ago to twenty years ahead. */
const wholeYear = (year: number, now: number) => {
  if (year > 99) return year;
  const near = now - (now % 100) + year;
  return near > now + 20 ? near - 100 : near;
};

/** The year in which a day without one is nearest to now. */
function nearest(month: number, day: number, now: string) {
  const at = Date.parse(now);
  const years = [-1, 0, 1].map((k) => Number(now.slice(0, 4)) + k);
  const days = years.map((year) => iso(year, month, day)).filter((d) => d !== undefined);
  const away = (d: string) => Math.abs(Date.parse(d) - at);
  return days.sort((a, b) => away(a) - away(b))[0];
}

/** Figures alone: 6/10, 6.10.2026, 6 10 26, 06102026, in the network's order; with the year first where it has four figures. */
function fromFigures(text: string, now: string): string | undefined {
  const run = /^(\d{2})(\d{2})(\d{4})$/.exec(text);
  const parts = (run ? run.slice(1) : text.split(/[./\- ]+/).filter(Boolean)).map(Number);
  const [a = 0, b = 0, c] = parts;
  if (a > 999) return c === undefined ? undefined : iso(a, b, c);
  const [day, month] = styleHere().order === "day" ? [a, b] : [b, a];
  return c === undefined ? nearest(month, day, now) : iso(wholeYear(c, Number(now.slice(0, 4))), month, day);
}

/**
 * A date that somebody typed, as "2026-10-06": in figures, in words ("6 Oct", "friday", "tomorrow", "in 2 weeks"), or so many days
 * ahead ("+14"). Empty for nothing; undefined where it is no date.
 */
export function readDate(typed: string): string | undefined {
  const text = typed.trim();
  const now = today();
  if (text === "") return "";
  const figures = text.replace(/^(mon|tue|wed|thu|fri|sat|sun)[a-z]*,? /i, "");
  if (/^[\d./\- ]+$/.test(figures)) return fromFigures(figures, now);
  const ahead = /^\+ ?(\d{1,4})$/.exec(text);
  const words = ahead ? `in ${ahead[1]} days` : text;
  const parser = styleHere().order === "day" ? english.GB : english;
  const [found] = parser.parse(words, new Date(`${now}T12:00:00`));
  if (!found || found.text.length < words.length) return undefined;
  const { start } = found;
  const [year, month, day] = [start.get("year"), start.get("month"), start.get("day")];
  if (year === null || month === null || day === null) return undefined;
  // Nearest to now where the year was left out, but not where a weekday or a distance settles it.
  return !start.isCertain("year") && start.isCertain("month") ? nearest(month, day, now) : iso(year, month, day);
}

/** The error for text that is not a date. */
export const dateSays = () => `Enter a date such as ${sayFullDate(today()).replace(/^\w+ /, "")}.`;

/**
 * Hours of a day that somebody typed, as "10:00-13:00" each: 10-13, 10am to 1pm, 10:00 – 13:00 and 14:00 – 17:00. None for a closed day;
 * undefined where one cannot be read. Whether they
 * make sense the server decides.
 */
export function readHours(typed: string): string[] | undefined {
  const spans = typed
    .split(/[,;]|\band\b/i)
    .filter((s) => s.trim() !== "")
    .map((s) => {
      const [from, to, ...more] = s.split(/-|–|\bto\b/i).map((t) => (t.trim() === "24:00" ? "24:00" : readTime(t)));
      const until = to === "00:00" ? "24:00" : to;
      return from && until && more.length === 0 ? `${from}-${until}` : undefined;
    });
  return spans.every((s) => s !== undefined) ? spans : undefined;
}

/** A time that somebody typed, as "14:30": 14:30, 1430, 9, 2pm, 2.30 pm. Empty for nothing; undefined where it is no time. */
export function readTime(typed: string): string | undefined {
  const text = typed.trim().toLowerCase();
  if (text === "") return "";
  const [, h = "", m = "00", half] = /^(\d{1,2})(?:[:.h]?(\d{2}))? ?([ap])?\.?m?\.?$/.exec(text) ?? [];
  const hour = Number(h);
  if (h === "" || Number(m) > 59 || (half ? hour < 1 || hour > 12 : hour > 23)) return undefined;
  const of24 = half ? (hour % 12) + (half === "p" ? 12 : 0) : hour;
  return `${String(of24).padStart(2, "0")}:${m}`;
}
