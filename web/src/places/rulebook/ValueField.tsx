import { z } from "zod";
import { ChoiceField, DatesField, TextField } from "../../ui/forms";
import { textOf, type Cell, type Term } from "./types";

const sayChoice = (choice: string) => ({ true: "yes", false: "no" })[choice] ?? choice.replaceAll("_", " ");

/** A field for the value of a term, in the words of its kind. */
export function ValueField({ name, term }: { name: string; term: Term }) {
  if (term.kind === "choice" || term.kind === "yes_no") {
    const choices = term.kind === "yes_no" ? ["true", "false"] : (term.choices ?? []);
    return <ChoiceField name={name} label={term.name} options={choices.map((c) => [c, sayChoice(c)] as const)} />;
  }
  if (term.kind === "dates") return <DatesField name={name} label={term.name} />;
  return (
    <TextField
      name={name}
      label={term.kind === "duration" ? `${term.name}: days, or hours as “3 h”` : term.name}
      placeholder={term.nullable ? "empty: no limit" : ""}
    />
  );
}

/** What a cell says, as one would type it. */
export function initial(term: Term, cell: Cell): string {
  const v = cell.value;
  if (v === null || v === undefined) return "";
  if (term.kind === "duration") return cell.short;
  return typed(term, v);
}

/** A value of the file format, as one would type it. */
export function typed(term: Term, v: unknown): string {
  if (v === null || v === undefined) return "";
  if (term.kind === "duration") {
    const [, count, unit] = /^PT?(\d+)([DWH])$/.exec(textOf(v)) ?? [];
    if (!count) return textOf(v);
    return unit === "H" ? `${count} h` : unit === "W" ? String(7 * Number(count)) : count;
  }
  return Array.isArray(v) ? v.join(", ") : textOf(v);
}

/** What a term begins with in a rule that says nothing about it yet. */
export function beginning(term: Term): string {
  return term.kind === "yes_no" ? "true" : term.kind === "choice" ? (term.choices?.[0] ?? "") : "";
}

/** What is wrong with a value as it was typed, in a sentence; undefined where its form is right. */
export function mistake(term: Term, text: string): string | undefined {
  const value = plain(term, text);
  const orEmpty = term.nullable ? " Leave it empty for no limit." : "";
  if (value === null) return undefined;
  if (term.kind === "duration" && !/^P(T(\d+H)?(\d+M)?|(\d+W)?(\d+D)?)$/.test(value as string))
    return `Enter days such as 21, or hours such as 3 h.${orEmpty}`;
  if (term.kind === "number" && typeof value !== "number") return `Enter a whole number such as 5.${orEmpty}`;
  return undefined;
}

/** The value of a term in a form's schema. */
export const valueOf = (term: Term) =>
  z.string().superRefine((text, context) => {
    const message = mistake(term, text);
    if (message) context.addIssue({ code: "custom", message });
  });

/** What the person typed, in the form of the file format. What does not fit is sent as it is and refused with a reason. */
export function plain(term: Term, text: string): unknown {
  const t = text.trim();
  if (t === "" && term.nullable) return null;
  switch (term.kind) {
    case "duration": {
      const hours = /^(\d+)\s*h$/.exec(t);
      return hours ? `PT${hours[1]}H` : /^\d+$/.test(t) ? `P${t}D` : t;
    }
    case "number":
      return /^\d+$/.test(t) ? Number(t) : t;
    case "yes_no":
      return t === "true";
    case "dates":
      return t === "" ? [] : t.split(/[ ,]+/);
  }
  return t;
}
