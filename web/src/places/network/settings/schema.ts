import { z } from "zod";
import * as check from "../../../ui/checks";
import { readTime } from "../../../ui/dates";
import { sayTime } from "../../../ui/say";
import type { Said } from "./values";

const number = (most: number, least = 0) =>
  z
    .string()
    .trim()
    .regex(/^\d+$/, "Enter a whole number.")
    .refine((t) => Number(t) >= least && Number(t) <= most, `Enter a number from ${least} to ${most}.`);

const time = z.string().refine((t) => t.trim() !== "" && readTime(t) !== undefined, {
  error: () => `Enter a time such as ${sayTime("08:00")}.`,
});

/** What each setting may be. */
export const schema = z.object({
  second: z.array(z.string()),
  order: z.string(),
  hours: z.string(),
  idle: number(720).refine((t) => Number(t) === 0 || Number(t) >= 5, "Enter 0 for never, or 5 and more."),
  back: number(60),
  waive: z.record(z.string(), check.maybeSum),
  past: z.record(z.string(), z.array(z.string())),
  consents: z.array(z.string()),
  classes: z.boolean(),
  fields: z.record(z.string(), z.string()),
  history: z.union([z.literal(""), number(1200)]),
  holds: number(120, 1),
  messages: number(120, 1),
  readings: number(120, 1),
  answers: number(60, 1),
  ask_before: z.boolean(),
  confirm: number(120),
  sign_ups: z.boolean(),
  contact: z.boolean(),
  guardians: z.boolean(),
  card_days: number(90),
  one_address: z.boolean(),
  service: check.text,
  service_address: check.text,
  service_covers: check.text,
  sender: check.maybeEmail,
  reply: check.maybeEmail,
  leave_from: time,
  leave_until: time,
  gather: number(240),
  page: check.text,
  text_sender: check.text.max(20),
  country: z
    .string()
    .trim()
    .regex(/^([A-Z]{2})?$/, "Enter two capital letters such as CA."),
  languages: z.array(z.string()).min(1, "Choose at least one language."),
  per_minute: number(100_000),
  let_off: number(60),
  staged: z.boolean(),
  photos: z.boolean(),
  receipt: z.string(),
  collect: z.string(),
  due_others: z.boolean(),
  last_look: z.boolean(),
  slips: z.array(z.string()),
  bin_lines: number(100, 1),
  bin_columns: z.array(z.string()),
  bin_tells: z.array(z.string()),
  patron_lines: number(100, 1),
  patron_columns: z.array(z.string()),
  patron_tells: z.array(z.string()),
  till: z.boolean(),
  ask_daily: z.boolean(),
  blind: z.boolean(),
  invoice_days: number(365),
  invoice_sender: check.text,
  invoice_foot: check.text,
  accounts: z.record(z.string(), z.string().trim().max(40)),
  first: z.array(z.string()),
  last: z.array(z.string()),
  local: number(60),
  fetch_most: z.record(z.string(), z.union([z.literal(""), number(10000)])),
  round: number(1440, 15),
  per_copy: number(100, 1),
  statement: check.text,
  remind: number(60),
  missing: number(120, 1),
}) satisfies z.ZodType<Said>;
