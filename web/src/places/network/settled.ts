import type { Schema } from "../../api/client";
import { digitsOf } from "../../kit/say";

type Settings = Schema["SettingsSettings"];

/** What the form says: all of it texts, empty for no limit. */
export interface Said {
  idle: string;
  second: string[];
  back: string;
  waive: Record<string, string>;
  past: Record<string, string[]>;
  consents: string[];
  fields: Record<string, string>;
  history: string;
  holds: string;
  messages: string;
  readings: string;
  answers: string;
  ask_before: boolean;
  confirm: string;
  sign_ups: boolean;
  card_days: string;
  one_address: boolean;
  service: string;
  service_address: string;
  service_covers: string;
}

/** Who takes payments, and so may waive. */
export const waivers = ["desk", "interlibrary", "supervisor", "administrator"] as const;

export const everyRole = ["volunteer", ...waivers] as const;

export const stops = [
  ["inactive", "A card that is inactive"],
  ["stopped", "A patron who is stopped"],
  ["card_ended", "A card that has run out"],
  ["owed", "Owes too much"],
  ["late", "Too many late items"],
  ["not_lent", "Not lent by the rules"],
  ["at_once", "Too many on loan"],
  ["alike_at_once", "Too many of a kind"],
  ["age", "Too young"],
  ["consent", "A guardian has not agreed"],
  ["meant_for_else", "Meant for somebody else"],
] as const;

/** The fields of the form for patrons, with what is usual. */
export const fields = [
  ["preferred_name", "Wants to be called", "may"],
  ["born", "Born", "should"],
  ["email", "Mail", "should"],
  ["phone", "Phone", "should"],
  ["text", "Number for texts", "may"],
  ["address", "Street and number", "must"],
  ["postal_code", "Postal code", "may"],
  ["town", "Town", "may"],
  ["in_area", "Lives inside our area", "may"],
  ["guardian", "Guardian, of a minor", "may"],
  ["identity", "Identity seen", "should"],
  ["identity_two", "A second identity", "may"],
  ["identity_number", "Number of the identity", "hidden"],
  ["school", "Number at school", "may"],
  ["school_year", "School year", "may"],
  ["pickup", "Picks up holds at", "may"],
  ["may_use", "Who else may use the card", "may"],
  ["marks", "Classified as", "may"],
] as const;

/** Settings as the form says them. A role that is not named waives nothing. */
export function start(s: Settings, currency: string): Said {
  const digits = digitsOf(currency);
  const sum = (role: string) => {
    const most = s.limits.waive[role];
    if (most === null) return "";
    return ((most ?? 0) / 10 ** digits).toFixed(digits);
  };
  return {
    idle: String(s.idle_minutes),
    second: s.second_factor,
    back: String(s.limits.back_days),
    waive: Object.fromEntries(waivers.map((r) => [r, sum(r)])),
    past: Object.fromEntries(stops.map(([code]) => [code, s.limits.past[code] ?? []])),
    consents: s.limits.consents,
    fields: Object.fromEntries(fields.map(([f]) => [f, s.fields[f] ?? ""])),
    history: s.keep.history === null ? "" : String(s.keep.history),
    holds: String(s.keep.holds),
    messages: String(s.keep.messages),
    readings: String(s.keep.readings),
    answers: String(s.keep.answers),
    ask_before: s.ask_before,
    confirm: String(s.confirm_months),
    sign_ups: s.sign_ups.open,
    card_days: String(s.sign_ups.card_days),
    one_address: s.one_address,
    service: s.records.name,
    service_address: s.records.address,
    service_covers: s.records.covers,
  };
}

const everybody = ["volunteer", ...waivers];

/** And back. What is only asked, anybody may pass over, as ever. */
export function toSettings(said: Said, currency: string): Settings {
  const factor = 10 ** digitsOf(currency);
  const sum = (text: string) => (text === "" ? null : Math.round(Number(text.replace(",", ".")) * factor));
  const past = Object.entries(said.past).filter(([, roles]) => roles.length > 0);
  return {
    idle_minutes: Number(said.idle),
    second_factor: said.second,
    fields: Object.fromEntries(Object.entries(said.fields).filter(([, need]) => need !== "")),
    limits: {
      consents: said.consents,
      back_days: Number(said.back),
      waive: Object.fromEntries(Object.entries(said.waive).map(([r, text]) => [r, sum(text)])),
      past: { ...Object.fromEntries(past), soon: everybody, had_before: everybody },
    },
    keep: {
      history: said.history === "" ? null : Number(said.history),
      holds: Number(said.holds),
      messages: Number(said.messages),
      readings: Number(said.readings),
      answers: Number(said.answers),
    },
    ask_before: said.ask_before,
    one_address: said.one_address,
    confirm_months: Number(said.confirm),
    records: { name: said.service, address: said.service_address, covers: said.service_covers },
    sign_ups: { open: said.sign_ups, card_days: Number(said.card_days) },
  };
}
