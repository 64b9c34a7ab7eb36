import { z } from "zod";
import type { Schema } from "../../api/client";
import { useClasses } from "../../circulation/classes";
import * as check from "../../ui/checks";
import { ChoiceField, DateField, MoneyField, saysOf, TextField, TickField } from "../../ui/forms";
import { toFigures, toMinor } from "../../ui/say";
import { type Item } from "./stock";

export type Writing = Omit<Schema["StockChanging"], "number" | "revision">;

/** What is on record of a copy as the form has it: all texts. */
export const itemSchema = z
  .object({
    branch: z.string(),
    until: check.maybeDate,
    after: z.string(),
    collection: check.needed("Choose a collection."),
    material: check.needed("Choose a material class."),
    call: check.text,
    price: check.maybeSum,
    condition: check.text,
    edition: check.text,
    volume: check.text,
    parts: z
      .string()
      .trim()
      .regex(/^[1-9]\d{0,2}$/, "Enter the number of parts, from 1."),
    parts_say: check.text,
    age: z
      .string()
      .trim()
      .regex(/^\d{0,2}$/, "Enter years, or leave empty."),
    consent: z.boolean(),
    stays: z.boolean(),
    period: z
      .string()
      .trim()
      .regex(/^(\d{1,3})?$/, "Enter days, or leave empty."),
  })
  .refine((s) => !s.until || (s.after !== "" && s.after !== s.branch), {
    path: ["after"],
    message: "Choose the home branch after that day.",
  });
export type ItemSaid = z.infer<typeof itemSchema>;

const useSaid = saysOf<ItemSaid>();

export const toSaid = (i: Item): ItemSaid => ({
  branch: i.branch,
  until: i.home_until ?? "",
  after: i.home_after ?? "",
  collection: i.collection_code,
  material: i.material_code,
  call: i.call_number,
  price: toFigures(i.price_minor),
  condition: i.condition,
  edition: i.edition,
  volume: i.volume,
  parts: String(i.parts),
  parts_say: i.parts_say,
  age: typeof i.own_terms.least_age === "number" ? String(i.own_terms.least_age) : "",
  consent: i.own_terms.consent_needed === true,
  stays: i.own_terms.lending_allowed === false,
  period: daysOf(i.own_terms.loan_period),
});

const daysOf = (period: unknown) => /^P(\d+)D$/.exec(typeof period === "string" ? period : "")?.[1] ?? "";

/** What the form says; terms of its own that the form does not show stay. */
export function toWriting(s: ItemSaid, own: Item["own_terms"] = {}): Writing {
  const terms = { ...own };
  const put = (term: string, value: unknown, there: boolean) => {
    if (there) terms[term] = value;
    else delete terms[term];
  };
  put("least_age", Number(s.age), s.age !== "" && s.age !== "0");
  put("consent_needed", true, s.consent);
  put("lending_allowed", false, s.stays);
  // A period in hours, or of weeks, is not in days: it stays unless days are written.
  if (s.period || daysOf(own.loan_period)) put("loan_period", `P${s.period}D`, s.period !== "");
  return {
    branch: s.branch,
    ...(s.until ? { home_until: s.until, home_after: s.after } : {}),
    collection: s.collection,
    material: s.material,
    call_number: s.call,
    price: toMinor(s.price),
    condition: s.condition,
    edition: s.edition,
    volume: s.volume,
    parts: Number(s.parts),
    parts_say: s.parts_say,
    own_terms: terms,
  };
}

/** What is on record of a copy. */
export function ItemFields() {
  const classes = useClasses();
  const until = useSaid("until");
  return (
    <div className="grid gap-2.5 sm:grid-cols-3 lg:grid-cols-5">
      <ChoiceField name="branch" label="Home branch" options={classes.branches} />
      <ChoiceField name="material" label="Material class" options={[["", "choose"], ...classes.materials]} />
      <ChoiceField name="collection" label="Collection" options={[["", "choose"], ...classes.collections]} />
      <TextField name="call" label="Call number" />
      <MoneyField name="price" label="Price" />
      <TextField name="parts" label="Number of parts" inputMode="numeric" />
      <TextField name="parts_say" label="Parts" className="sm:col-span-2" />
      <TextField name="condition" label="Condition" className="sm:col-span-2" />
      <TextField name="edition" label="Edition, if different from the title" />
      <TextField name="volume" label="Volume, such as v.2" />
      <DateField name="until" label="Home branch until" />
      {until && (
        <ChoiceField name="after" label="Home branch after that" options={[["", "choose"], ...classes.branches]} />
      )}
      <TextField name="age" label="Minimum age" inputMode="numeric" />
      <TextField name="period" label="Loan days" inputMode="numeric" />
      <TickField name="consent" label="Guardian consent needed" className="self-end pb-1.5" />
      <TickField name="stays" label="Library use only" className="self-end pb-1.5" />
    </div>
  );
}
