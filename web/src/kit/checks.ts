import { z } from "zod";

// What is checked is not compiled: the page allows no code that is made while it runs.
z.config({ jitless: true });

/** Checks that forms share, each with its sentence. */

export const needed = (sentence: string) => z.string().trim().min(1, sentence);
export const text = z.string().trim();
/** A sum, which may be nothing. */
export const sumOrNothing = z
  .string()
  .trim()
  .regex(/^\d+([.,]\d{1,3})?$/, "A sum in figures, such as 2.50.")
  .transform((t) => t.replace(",", "."));
export const sum = sumOrNothing.refine((t) => Number(t) > 0, "More than nothing.");
export const date = z.string().regex(/^\d{4}-\d{2}-\d{2}$/, "Choose a date.");
export const maybeDate = z.union([z.literal(""), date]);
