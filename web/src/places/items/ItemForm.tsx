import { z } from "zod";
import type { Schema } from "../../api/client";
import { useClasses } from "../../kit/classes";
import * as check from "../../kit/checks";
import { ChoiceField, DateField, MoneyField, saysOf, TextField, TickField } from "../../kit/forms";
import { toFigures, toMinor } from "../../kit/say";
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
      .regex(/^[1-9]\d{0,2}$/, "How many parts it has, from 1."),
    parts_say: check.text,
    age: z
      .string()
      .trim()
      .regex(/^\d{0,2}$/, "Years, or nothing."),
    consent: z.boolean(),
    stays: z.boolean(),
    period: z
      .string()
      .trim()
      .regex(/^(\d{1,3})?$/, "Days, or nothing."),
  })
  .refine((s) => !s.until || (s.after !== "" && s.after !== s.branch), {
    path: ["after"],
    message: "Where it belongs after that day, other than now.",
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
      <ChoiceField name="branch" label="Belongs to" options={classes.branches} />
      <ChoiceField name="material" label="Material class" options={[["", "choose"], ...classes.materials]} />
      <ChoiceField name="collection" label="Collection" options={[["", "choose"], ...classes.collections]} />
      <TextField name="call" label="Call number" />
      <MoneyField name="price" label="Price" />
      <TextField name="parts" label="Parts" inputMode="numeric" />
      <TextField name="parts_say" label="Which parts these are" className="sm:col-span-2" />
      <TextField name="condition" label="Condition" className="sm:col-span-2" />
      <TextField name="edition" label="Edition, if not the title's" />
      <TextField name="volume" label="Volume, such as v.2" />
      <DateField name="until" label="Belongs there only until" />
      {until && <ChoiceField name="after" label="and then to" options={[["", "choose"], ...classes.branches]} />}
      <TextField name="age" label="Lent from age" inputMode="numeric" />
      <TextField name="period" label="Lent for so many days" inputMode="numeric" />
      <TickField name="consent" label="A guardian must have agreed" className="self-end pb-1.5" />
      <TickField name="stays" label="Stays in the house" className="self-end pb-1.5" />
    </div>
  );
}
