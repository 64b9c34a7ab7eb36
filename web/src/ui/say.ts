/** How a network writes dates and times: which part of a date comes first, and how many hours its clock counts. */
export interface Style {
  order: "day" | "month" | "year";
  hours: 12 | 24;
}

const formatsIn = (timeZone: string, hours: Style["hours"]) => {
  const clock = {
    hour: hours === 12 ? "numeric" : "2-digit",
    minute: "2-digit",
    hourCycle: hours === 12 ? "h12" : "h23",
  } as const;
  return {
    wall: new Intl.DateTimeFormat("sv-SE", { dateStyle: "short", timeStyle: "short", timeZone }),
    clock: new Intl.DateTimeFormat("en-GB", { ...clock, timeZone }),
    second: new Intl.DateTimeFormat("en-GB", { ...clock, second: "2-digit", timeZone }),
    date: new Intl.DateTimeFormat("sv-SE", { dateStyle: "short", timeZone }),
  };
};

let zone = "UTC";
let style: Style = { order: "day", hours: 24 };
let formats = formatsIn(zone, style.hours);
let nowAt: () => number = () => Date.now();

/** Everything is said in the network's zone and manner, whatever the station's own are; now is the network's clock. */
export function sayIn(network: { timezone: string; currency: string; style?: Style; now?: string }) {
  zone = network.timezone;
  style = network.style ?? style;
  formats = formatsIn(zone, style.hours);
  code = network.currency;
  money = moneyIn(code);
  if (network.now === undefined) return;
  const ahead = Date.parse(network.now) - Date.now();
  nowAt = () => Date.now() + ahead;
}

/** How dates and times are written here. */
export const styleHere = () => style;

/** The date that it is now in the network's zone, "2026-10-06". */
export const today = () => formats.date.format(nowAt());

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

const weekdays = new Intl.DateTimeFormat("en-GB", { weekday: "short", timeZone: "UTC" });
const months = new Intl.DateTimeFormat("en-US", { month: "short", timeZone: "UTC" });

/** A date "2026-10-06" as people say it, with its year: "Tue 6 Oct 2026". */
export function sayFullDate(date: string) {
  return write(date, true);
}

/** The same, as short as it can be told apart: with its year only where that is not this one. */
export const sayDate = (date: string) => write(date, date.slice(0, 4) !== today().slice(0, 4));

function write(date: string, withYear: boolean) {
  const at = new Date(date + "T12:00:00Z");
  const [year = "", month = "", day = ""] = date.split("-");
  const weekday = weekdays.format(at);
  if (style.order === "year") return `${weekday} ${withYear ? `${year}-` : ""}${month}-${day}`;
  if (style.order === "month") return `${weekday} ${months.format(at)} ${Number(day)}${withYear ? `, ${year}` : ""}`;
  return `${weekday} ${Number(day)} ${months.format(at)}${withYear ? ` ${year}` : ""}`;
}

/** Instants as people say them, by the clock of the network. */
export const sayClock = (at: string) => formats.clock.format(new Date(at));
export const saySecond = (at: string) => formats.second.format(new Date(at));
export const sayDay = (at: string) => sayDate(formats.date.format(new Date(at)));
export const sayInstant = (at: string) => `${sayDay(at)}, ${sayClock(at)}`;
/** The same with its year, for what is printed or shown on hover. */
export const sayFullInstant = (at: string) => `${sayFullDate(formats.date.format(new Date(at)))}, ${sayClock(at)}`;
/** A time of the day, "14:30", as the network writes it: "2:30 pm". */
export const sayTime = (time: string) => {
  const [hour = 0, minute = "00"] = [Number(time.split(":")[0]), time.split(":")[1]];
  if (style.hours === 24) return `${String(hour).padStart(2, "0")}:${minute}`;
  return `${hour % 12 || 12}:${minute} ${hour % 24 < 12 ? "am" : "pm"}`;
};
/** Hours of a day, "10:00-13:00, 14:00-17:00", as the network writes them: "10:00 am to 1:00 pm, 2:00 pm to 5:00 pm". */
export const sayHours = (hours: string) =>
  style.hours === 24
    ? hours
    : hours
        .split(/, */)
        .map((span) => span.split("-").map(sayTime).join(" to "))
        .join(", ");
/** Whether a text is an instant as the server gives it. */
export const isInstant = (value: unknown): value is string =>
  typeof value === "string" && /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?(Z|[+-]\d\d:\d\d)$/.test(value);
/** An instant for a file, by the clock of the branch: 2026-10-06 14:30. */
export const toWall = (at: string) => formats.wall.format(new Date(at));
/** A moment of a file, a date or "2026-10-06T15:00" with or without its offset: by the clock of the branch it speaks of. */
export const sayWall = (moment: string) => {
  const [date = "", time] = moment.split("T");
  return time ? `${sayDate(date)}, ${sayTime(time.slice(0, 5))}` : sayDate(date);
};
const numbers = new Intl.NumberFormat("en");
const plurals = new Intl.PluralRules("en");

/** A number in figures: "2,400". */
export const sayNumber = (n: number) => numbers.format(n);

/** The word that goes with a number: "hold" with 1, "holds" with others. */
export const plural = (n: number, one: string, many = `${one}s`) => (plurals.select(n) === "one" ? one : many);

/** A number with its noun: "1 hold", "2,400 holds". */
export const sayCount = (n: number, one: string, many?: string) => `${sayNumber(n)} ${plural(n, one, many)}`;
