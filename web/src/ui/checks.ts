import { z } from "zod";
import { dateSays } from "./dates";
import { toFigures, toMinor } from "./say";

// What is checked is not compiled: the page allows no code that is made while it runs.
z.config({ jitless: true });

/** Checks that forms share, each with its sentence. */

export const needed = (sentence: string) => z.string().trim().min(1, sentence);
export const text = z.string().trim();
/** Whether a text is a sum of the network's currency: nothing is rounded that somebody typed. */
export const isSum = (text: string) => (toMinor(text) ?? -1) >= 0;
/** What is told of a text that is none. */
export const sumSays = () => `Enter an amount such as ${toFigures(1250)}.`;
/** A sum, which may be nothing. */
export const sumOrNothing = z
  .string()
  .trim()
  .refine(isSum, { error: sumSays })
  .transform((t) => t.replace(",", "."));
/** A sum that may be less than nothing. */
export const balance = z
  .string()
  .trim()
  .refine((t) => toMinor(t) !== null, { error: sumSays })
  .transform((t) => t.replace(",", "."));
/** A sum, or an empty field. */
export const maybeSum = z
  .string()
  .trim()
  .refine((t) => t === "" || isSum(t), { error: sumSays })
  .transform((t) => t.replace(",", "."));
export const sum = sumOrNothing.refine((t) => Number(t) > 0, "Enter an amount above zero.");
export const maybeEmail = z.union([
  z.literal(""),
  z.string().trim().pipe(z.email("Enter an email address, such as notices@library.example.")),
]);
export const date = z.string().regex(/^\d{4}-\d{2}-\d{2}$/, { error: dateSays });
export const maybeDate = z.string().regex(/^(\d{4}-\d{2}-\d{2})?$/, { error: dateSays });
