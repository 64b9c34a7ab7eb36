import type { Schema } from "../../api/client";
import { Field, inputLook } from "../../kit/parts";

type Term = Schema["RulebookTermInfo"];

/** A field for the value of a term, in the words of its kind. Undefined is what the cell says now. */
export function ValueField({
  term,
  cell,
  value,
  onChange,
}: {
  term: Term;
  cell?: Schema["RulesCell"];
  value?: string;
  onChange: (v: string) => void;
}) {
  const shown = value ?? (cell ? initial(term, cell) : "");
  return (
    <Field label={term.kind === "duration" ? `${term.name}: days, or hours as “3 h”` : term.name}>
      {term.kind === "choice" || term.kind === "yes_no" ? (
        <select className={inputLook} value={shown} onChange={(e) => onChange(e.target.value)}>
          {(term.kind === "yes_no" ? ["true", "false"] : (term.choices ?? [])).map((c) => (
            <option key={c} value={c}>
              {{ true: "yes", false: "no" }[c] ?? c.replaceAll("_", " ")}
            </option>
          ))}
        </select>
      ) : (
        <input
          className={inputLook}
          value={shown}
          onChange={(e) => onChange(e.target.value)}
          placeholder={term.nullable ? "empty: no limit" : term.kind === "dates" ? "dates such as 2026-12-18" : ""}
        />
      )}
    </Field>
  );
}

/** What a cell says, as one would type it. */
export function initial(term: Term, cell: Schema["RulesCell"]): string {
  const v = cell.value;
  if (v === null || v === undefined) return "";
  if (term.kind === "duration") return cell.short;
  return typed(term, v);
}

/** A value of the file format, as one would type it. */
export function typed(term: Term, v: unknown): string {
  if (v === null || v === undefined) return "";
  if (term.kind === "duration") {
    const days = /^P(\d+)D$/.exec(String(v));
    const weeks = /^P(\d+)W$/.exec(String(v));
    const hours = /^PT(\d+)H$/.exec(String(v));
    return days ? days[1]! : weeks ? String(7 * Number(weeks[1])) : hours ? `${hours[1]} h` : String(v);
  }
  return Array.isArray(v) ? v.join(", ") : String(v);
}

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
