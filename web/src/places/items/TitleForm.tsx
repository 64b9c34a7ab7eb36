import { z } from "zod";
import type { Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { LinesField, TextField } from "../../ui/forms";

export type Record = Omit<Schema["CatalogueAdding"], "from" | "source" | "twice">;

/** A title as the form has it: all texts. */
export const titleSchema = z.object({
  name: check.needed("Enter a title."),
  author: check.text,
  isbn: check.text,
  numbers: check.text,
  year: z
    .string()
    .trim()
    .regex(/^(\d{4})?$/, "Enter four digits, such as 2026."),
  edition: check.text,
  publisher: check.text,
  language: z
    .string()
    .trim()
    .regex(/^([a-z]{3})?$/, "Enter three small letters, such as eng, fra or deu."),
  extent: check.text,
  series: check.text,
  subjects: check.text,
  summary: check.text,
});
export type TitleSaid = z.infer<typeof titleSchema>;

export const nothingSaid: TitleSaid = {
  name: "",
  author: "",
  isbn: "",
  numbers: "",
  year: "",
  edition: "",
  publisher: "",
  language: "",
  extent: "",
  series: "",
  subjects: "",
  summary: "",
};

export const toSaid = (r: Record): TitleSaid => ({
  ...r,
  numbers: r.numbers.join(" "),
  year: r.year ? String(r.year) : "",
  subjects: r.subjects.join("; "),
});

const parts = (text: string, by: RegExp) =>
  text
    .split(by)
    .map((t) => t.trim())
    .filter(Boolean);

export const toRecord = (s: TitleSaid): Record => ({
  ...s,
  numbers: parts(s.numbers, /[\s,;]+/),
  year: s.year ? Number(s.year) : null,
  subjects: parts(s.subjects, /;/),
});

/** What is known of a title. */
export function TitleFields() {
  return (
    <div className="grid gap-2.5 sm:grid-cols-2 lg:grid-cols-4">
      <TextField name="name" label="Title" className="sm:col-span-2" />
      <TextField name="author" label="Author" />
      <TextField name="isbn" label="ISBN" />
      <TextField name="edition" label="Edition" />
      <TextField name="publisher" label="Publisher" />
      <TextField name="year" label="Year" inputMode="numeric" />
      <TextField name="language" label="Language code" />
      <TextField name="extent" label="Extent" />
      <TextField name="series" label="Series" />
      <TextField name="numbers" label="Other ISBN or ISSN" />
      <TextField name="subjects" label="Subjects, separated by semicolons" />
      <LinesField name="summary" label="Summary" className="sm:col-span-2 lg:col-span-4" rows={2} />
    </div>
  );
}
