const formatsIn = (timeZone: string) => ({
  wall: new Intl.DateTimeFormat("sv-SE", { dateStyle: "short", timeStyle: "short", timeZone }),
  clock: new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", timeZone }),
  second: new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", second: "2-digit", timeZone }),
  day: new Intl.DateTimeFormat("en-GB", {
    weekday: "short",
    day: "numeric",
    month: "short",
    year: "numeric",
    timeZone,
  }),
});

const dates = new Intl.DateTimeFormat("en-GB", {
  weekday: "short",
  day: "numeric",
  month: "short",
  year: "numeric",
  timeZone: "UTC",
});

let formats = formatsIn("UTC");

/** Everything is said in the network's zone, whatever the station's own is. */
export function sayIn(timeZone: string, currency: string) {
  code = currency;
  formats = formatsIn(timeZone);
  money = moneyIn(currency);
}

const moneyIn = (currency: string) =>
  new Intl.NumberFormat("en", { style: "currency", currency, currencyDisplay: "narrowSymbol" });
let code = "XXX";
let money = moneyIn(code);

/** The currency of all sums, as ISO 4217 has it. */
export const moneyCode = () => code;

/** How many figures a sum of a currency has behind its point. */
export const digitsOf = (currency: string) =>
  new Intl.NumberFormat("en", { style: "currency", currency }).resolvedOptions().maximumFractionDigits ?? 2;

/**
 * A sum in figures as minor units of a currency, the network's own unless said; null where it is none, or has more decimals than the
 * currency.
 */
export const toMinor = (figures: string, currency = code) => {
  const [, minus = "", whole = "", part = ""] = /^(-?)(\d+)(?:[.,](\d+))?$/.exec(figures.trim()) ?? [];
  const digits = digitsOf(currency);
  if (whole === "" || part.length > digits) return null;
  return Number(minus + whole + part.padEnd(digits, "0"));
};
/** Minor units as a sum in figures; empty for none. */
export const toFigures = (minor: number | null | undefined, currency = code) =>
  minor === null || minor === undefined ? "" : (minor / 10 ** digitsOf(currency)).toFixed(digitsOf(currency));

/** A sum as the server gives it, "2.00", with the currency's sign. */
export const sayMoney = (sum: string | number) => money.format(Number(sum));
/** The currency's sign alone, to stand before a field. */
export const moneySign = () => money.formatToParts(0).find((part) => part.type === "currency")?.value ?? "";

const plain = (text: string) => text.replaceAll(",", "").replace("Sept", "Sep");

/** Instants as people say them. */
export const sayClock = (at: string) => formats.clock.format(new Date(at));
export const saySecond = (at: string) => formats.second.format(new Date(at));
export const sayDay = (at: string) => plain(formats.day.format(new Date(at)));
/** A date without a time, "2026-10-06". */
export const sayDate = (date: string) => plain(dates.format(new Date(date + "T12:00:00Z")));
/** Whether a text is an instant as the server gives it. */
export const isInstant = (value: unknown): value is string =>
  typeof value === "string" && /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?(Z|[+-]\d\d:\d\d)$/.test(value);
/** An instant for a file, by the clock of the branch: 2026-10-06 14:30. */
export const toWall = (at: string) => formats.wall.format(new Date(at));
export const sayInstant = (at: string) => `${sayDay(at)}, ${sayClock(at)}`;
/** A moment of a file, a date or "2026-10-06T15:00" with or without its offset: by the clock of the branch it speaks of. */
export const sayWall = (moment: string) => {
  const [date = "", time] = moment.split("T");
  return time ? `${sayDate(date)}, ${time.slice(0, 5)}` : sayDate(date);
};
/** The same without their year, of what is about now. */
export const sayNearDate = (date: string) => sayDate(date).replace(/ \d{4}$/, "");
export const sayNear = (at: string) => sayInstant(at).replace(/ \d{4},/, ",");

/** A number with its noun: "1 hold", "2,400 holds". */
export const sayCount = (n: number, one: string, many = `${one}s`) =>
  `${n.toLocaleString("en")} ${n === 1 ? one : many}`;
