import { useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { Button, Field, Trouble } from "../../ui/parts";
import { plural, sayDate, sayHours } from "../../ui/say";
import { sayRule } from "./recurrence";
import type { Change } from "./types";

/** Closures and special hours from an iCalendar file, each to be taken or not. */
export function FromFile({ onChange }: { onChange: (c: Change) => void }) {
  const [days, setDays] = useState<Schema["CalendarsDays"][]>();
  const [chosen, setChosen] = useState<number[]>([]);
  const [error, setError] = useState<unknown>();
  const read = async (file?: File) => {
    if (!file) return;
    try {
      const list = await told(api.POST("/api/calendars/file", { body: { text: await file.text() } }));
      setDays(list);
      setChosen(list.map((_, k) => k));
      setError(undefined);
    } catch (e) {
      setDays(undefined);
      setError(e);
    }
  };
  return (
    <div className="grid gap-3">
      <Field label="A calendar of public holidays, as an iCalendar file (.ics)">
        <input type="file" accept=".ics,text/calendar" onChange={(e) => void read(e.target.files?.[0])} />
      </Field>
      <Trouble error={error} />
      {days && (
        <>
          <ul className="max-h-64 overflow-auto">
            {days.map((d, k) => (
              <li key={k}>
                <label className="flex items-baseline gap-2 py-0.5">
                  <input
                    type="checkbox"
                    checked={chosen.includes(k)}
                    onChange={(e) => setChosen(e.target.checked ? [...chosen, k] : chosen.filter((x) => x !== k))}
                  />
                  <b className="font-semibold">{d.name}</b>
                  <span className="text-sm text-ink-2">
                    {sayDate(d.from)}
                    {d.to !== d.from && ` to ${sayDate(d.to)}`}
                    {d.rule && `, ${sayRule(d.rule)}`}
                    {d.hours ? `: special hours, open ${sayHours(d.hours)}` : ": closed"}
                  </span>
                </label>
              </li>
            ))}
          </ul>
          <Button
            className="justify-self-start"
            disabled={chosen.length === 0}
            onClick={() => onChange({ days: days.filter((_, k) => chosen.includes(k)) })}
          >
            Preview {plural(chosen.length, "this change", "these changes")}
          </Button>
        </>
      )}
    </div>
  );
}
