import type { Schema } from "../../../api/client";
import { readTime } from "../../../ui/dates";
import { sayTime, toFigures, toMinor } from "../../../ui/say";

type Settings = Schema["SettingsSettings"];

/** What the form says: all of it texts, empty for no limit. */
export interface Said {
  idle: string;
  order: string;
  hours: string;
  second: string[];
  back: string;
  waive: Record<string, string>;
  past: Record<string, string[]>;
  consents: string[];
  classes: boolean;
  fields: Record<string, string>;
  history: string;
  holds: string;
  messages: string;
  readings: string;
  answers: string;
  ask_before: boolean;
  confirm: string;
  sign_ups: boolean;
  contact: boolean;
  guardians: boolean;
  card_days: string;
  one_address: boolean;
  service: string;
  service_address: string;
  service_covers: string;
  sender: string;
  reply: string;
  leave_from: string;
  leave_until: string;
  gather: string;
  page: string;
  text_sender: string;
  country: string;
  languages: string[];
  per_minute: string;
  let_off: string;
  staged: boolean;
  receipt: string;
  collect: string;
  due_others: boolean;
  photos: boolean;
  last_look: boolean;
  slips: string[];
  bin_lines: string;
  bin_columns: string[];
  bin_tells: string[];
  patron_lines: string;
  patron_columns: string[];
  patron_tells: string[];
  till: boolean;
  ask_daily: boolean;
  blind: boolean;
  invoice_days: string;
  invoice_sender: string;
  invoice_foot: string;
  accounts: Record<string, string>;
  first: string[];
  last: string[];
  local: string;
  fetch_most: Record<string, string>;
  round: string;
  per_copy: string;
  statement: string;
  remind: string;
  missing: string;
}

/** The accounts of the books, with what stands on each. */
export const accounts = [
  ["receivable", "Owed by patrons"],
  ["cash", "Cash in drawers"],
  ["card", "Cards"],
  ["cheque", "Cheques"],
  ["bank", "Bank"],
  ["income_late", "Income: late fines"],
  ["income_lost", "Income: lost items"],
  ["income_processing", "Income: processing fees"],
  ["income_membership", "Income: membership"],
  ["income_uncollected", "Income: uncollected holds"],
  ["income_outside", "Income: interlibrary"],
  ["income_manual", "Income: manual charges"],
  ["waived", "Waived"],
  ["refunds", "Refunds due"],
  ["rounding", "Cash rounding"],
  ["differences", "Till differences"],
  ["carried", "Imported balances"],
] as const;

const tells = (s: Settings["counter"]["bin"]) => [...(s.waits ? ["waits"] : []), ...(s.rest ? ["rest"] : [])];

/** Who takes payments, and so may waive. */
export const waivers = ["desk", "interlibrary", "supervisor", "administrator"] as const;

export const everyRole = ["volunteer", ...waivers] as const;

export const stops = [
  ["inactive", "Inactive card"],
  ["stopped", "Blocked from borrowing"],
  ["card_ended", "Expired card"],
  ["owed", "Owes too much"],
  ["late", "Too many late items"],
  ["not_lent", "Not lent by the rules"],
  ["at_once", "Too many on loan"],
  ["alike_at_once", "Too many of a kind"],
  ["age", "Too young"],
  ["consent", "No guardian consent"],
  ["school_year", "Below the school year"],
  ["meant_for_else", "On hold for somebody else"],
] as const;

/** The fields of the form for patrons, with what is usual. */
export const fields = [
  ["preferred_name", "Preferred name", "may"],
  ["born", "Born", "should"],
  ["email", "Email", "should"],
  ["phone", "Phone", "should"],
  ["text", "Text message number", "may"],
  ["address", "Street address", "must"],
  ["postal_code", "Postal code", "may"],
  ["town", "Town", "may"],
  ["in_area", "Lives in our area", "may"],
  ["guardian", "Guardian, of a minor", "may"],
  ["identity", "ID checked", "should"],
  ["identity_two", "Second ID", "may"],
  ["identity_number", "ID number", "hidden"],
  ["school", "School number", "may"],
  ["school_year", "School year", "may"],
  ["pickup", "Pickup branch", "may"],
  ["may_use", "People who can use the card", "may"],
  ["marks", "Tags", "may"],
] as const;

/** Settings as the form says them. A role that is not named waives nothing. */
export function start(s: Settings, currency: string): Said {
  const sum = (role: string) => {
    const most = s.limits.waive[role];
    return most === null ? "" : toFigures(most ?? 0, currency);
  };
  return {
    idle: String(s.idle_minutes),
    order: s.style.order,
    hours: String(s.style.hours),
    second: s.second_factor,
    back: String(s.limits.back_days),
    waive: Object.fromEntries(waivers.map((r) => [r, sum(r)])),
    past: Object.fromEntries(stops.map(([code]) => [code, s.limits.past[code] ?? []])),
    consents: s.limits.consents,
    classes: s.limits.classes,
    fields: Object.fromEntries(fields.map(([f]) => [f, s.fields[f] ?? ""])),
    history: s.keep.history === null ? "" : String(s.keep.history),
    holds: String(s.keep.holds),
    messages: String(s.keep.messages),
    readings: String(s.keep.readings),
    answers: String(s.keep.answers),
    ask_before: s.ask_before,
    confirm: String(s.confirm_months),
    sign_ups: s.sign_ups.open,
    contact: s.sign_ups.contact,
    guardians: s.guardians,
    card_days: String(s.sign_ups.card_days),
    one_address: s.one_address,
    service: s.records.name,
    service_address: s.records.address,
    service_covers: s.records.covers,
    sender: s.mail.sender,
    reply: s.mail.reply,
    leave_from: sayTime(clockOf(s.notices.hours.from)),
    leave_until: sayTime(clockOf(s.notices.hours.until)),
    gather: String(s.notices.gather_minutes),
    page: s.notices.page,
    text_sender: s.notices.text_sender,
    country: s.notices.country,
    languages: s.notices.languages,
    per_minute: String(s.notices.per_minute),
    let_off: String(s.limits.let_off),
    staged: s.counter.staged,
    photos: s.counter.photos,
    receipt: s.counter.receipt,
    collect: s.counter.collect,
    due_others: s.counter.due_others,
    last_look: s.counter.last_look,
    slips: s.counter.slips,
    bin_lines: String(s.counter.bin.lines),
    bin_columns: s.counter.bin.columns,
    bin_tells: tells(s.counter.bin),
    patron_lines: String(s.counter.patron.lines),
    patron_columns: s.counter.patron.columns,
    patron_tells: tells(s.counter.patron),
    till: s.money.till,
    ask_daily: s.money.ask_daily,
    blind: s.money.blind,
    invoice_days: String(s.money.invoice_days),
    invoice_sender: s.money.invoice_sender,
    invoice_foot: s.money.invoice_foot,
    accounts: Object.fromEntries(accounts.map(([a]) => [a, s.money.accounts[a] ?? ""])),
    first: s.holds.order.first,
    last: s.holds.order.last,
    local: String(s.holds.local_days),
    fetch_most: Object.fromEntries(Object.entries(s.holds.fetch_most).map(([b, n]) => [b, String(n)])),
    round: String(s.holds.round_minutes),
    per_copy: String(s.holds.per_copy),
    statement: s.outside.statement,
    remind: String(s.holds.remind),
    missing: String(s.holds.missing),
  };
}

/** Minutes after midnight as a time, "08:30", and back. */
const clockOf = (minutes: number) =>
  `${String(Math.floor(minutes / 60)).padStart(2, "0")}:${String(minutes % 60).padStart(2, "0")}`;
const minutesOf = (typed: string) => {
  const [hour = 0, minute = 0] = (readTime(typed) || "00:00").split(":").map(Number);
  return hour * 60 + minute;
};

const situation = (lines: string, columns: string[], told: string[]) => ({
  lines: Number(lines),
  columns,
  waits: told.includes("waits"),
  rest: told.includes("rest"),
});

/** And back. */
export function toSettings(said: Said, currency: string): Settings {
  const past = Object.entries(said.past).filter(([, roles]) => roles.length > 0);
  return {
    idle_minutes: Number(said.idle),
    style: { order: said.order as Settings["style"]["order"], hours: said.hours === "12" ? 12 : 24 },
    second_factor: said.second,
    fields: Object.fromEntries(Object.entries(said.fields).filter(([, need]) => need !== "")),
    limits: {
      consents: said.consents,
      classes: said.classes,
      back_days: Number(said.back),
      waive: Object.fromEntries(Object.entries(said.waive).map(([r, text]) => [r, toMinor(text, currency)])),
      past: Object.fromEntries(past),
      let_off: Number(said.let_off),
    },
    keep: {
      history: said.history === "" ? null : Number(said.history),
      holds: Number(said.holds),
      messages: Number(said.messages),
      readings: Number(said.readings),
      answers: Number(said.answers),
    },
    counter: {
      staged: said.staged,
      photos: said.photos,
      receipt: said.receipt as Settings["counter"]["receipt"],
      collect: said.collect as Settings["counter"]["collect"],
      due_others: said.due_others,
      last_look: said.last_look,
      slips: said.slips,
      bin: situation(said.bin_lines, said.bin_columns, said.bin_tells),
      patron: situation(said.patron_lines, said.patron_columns, said.patron_tells),
    },
    money: {
      till: said.till,
      ask_daily: said.ask_daily,
      blind: said.blind,
      invoice_days: Number(said.invoice_days),
      invoice_sender: said.invoice_sender,
      invoice_foot: said.invoice_foot,
      accounts: Object.fromEntries(Object.entries(said.accounts).filter(([, number]) => number !== "")),
    },
    holds: {
      order: { first: said.first, last: said.last },
      local_days: Number(said.local),
      fetch_most: Object.fromEntries(
        Object.entries(said.fetch_most)
          .filter(([, n]) => n !== "")
          .map(([b, n]) => [b, Number(n)]),
      ),
      round_minutes: Number(said.round),
      per_copy: Number(said.per_copy),
      remind: Number(said.remind),
      missing: Number(said.missing),
    },
    outside: { statement: said.statement },
    ask_before: said.ask_before,
    one_address: said.one_address,
    confirm_months: Number(said.confirm),
    mail: { sender: said.sender, reply: said.reply },
    notices: {
      hours: { from: minutesOf(said.leave_from), until: minutesOf(said.leave_until) },
      gather_minutes: Number(said.gather),
      page: said.page,
      text_sender: said.text_sender,
      country: said.country,
      languages: said.languages,
      per_minute: Number(said.per_minute),
    },
    records: { name: said.service, address: said.service_address, covers: said.service_covers },
    sign_ups: { open: said.sign_ups, contact: said.contact, card_days: Number(said.card_days) },
    guardians: said.guardians,
  };
}
