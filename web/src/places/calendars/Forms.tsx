import { readHours } from "../../ui/dates";
import { sayHours } from "../../ui/say";
import { useState } from "react";
import { z } from "zod";
import type { Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { ChoiceField, Chips, DateField, Form, Send, TextField } from "../../ui/forms";
import { Card, Quiet, Tabs } from "../../ui/parts";
import { Entries } from "./Entries";
import { FromFile } from "./FromFile";
import { kinds, ruleOf } from "./recurrence";
import type { Calendar, Change } from "./types";

const weekdays = [
  ["mon", "Monday"],
  ["tue", "Tuesday"],
  ["wed", "Wednesday"],
  ["thu", "Thursday"],
  ["fri", "Friday"],
  ["sat", "Saturday"],
  ["sun", "Sunday"],
] as const;

const forms = [
  ["close", "Close"],
  ["recur", "Recurring closure"],
  ["open", "Special hours"],
  ["hours", "Weekly hours"],
  ["file", "From a calendar file"],
  ["entries", "Entries"],
] as const;

interface Changing {
  onChange: (c: Change) => void;
}

/** Every way to change a calendar. Each only shows what it would touch; nothing counts before that is confirmed. */
export function CalendarForms({
  calendar,
  all,
  also,
  onAlso,
  onChange,
}: Changing & {
  calendar: Calendar;
  all: Schema["RulesValue"][];
  also: string[];
  onAlso: (codes: string[]) => void;
}) {
  const [form, setForm] = useState<string>("close");
  const others = all.filter((b) => b.code !== calendar.branch);
  return (
    <div className="grid gap-0 print:hidden">
      <Tabs label="Calendar actions" tabs={forms} chosen={form} onChoose={setForm} />
      <Card label="Change calendar" className="grid gap-3 rounded-t-none border-t-0 p-4">
        {form !== "entries" && (
          <div className="flex flex-wrap items-end gap-3">
            <Chips
              label={`For ${calendar.name} and`}
              options={others.map((b) => [b.code, b.name] as const)}
              chosen={also}
              onChoose={onAlso}
            />
            <Quiet onClick={() => onAlso(also.length ? [] : others.map((b) => b.code))}>
              {also.length ? "this branch only" : "all of them"}
            </Quiet>
          </div>
        )}
        {form === "close" && <Close onChange={onChange} />}
        {form === "recur" && <Recur onChange={onChange} />}
        {form === "open" && <Open onChange={onChange} />}
        {form === "hours" && <Hours calendar={calendar} onChange={onChange} />}
        {form === "file" && <FromFile onChange={onChange} />}
        {form === "entries" && <Entries calendar={calendar} onChange={onChange} />}
      </Card>
    </div>
  );
}

const look = "flex flex-wrap items-end gap-3";
const reason = check.needed("Enter a reason.");

const closing = z
  .object({ from: check.date, to: check.maybeDate, name: reason })
  .refine((v) => !v.to || v.to >= v.from, { path: ["to"], message: "Choose a day on or after the first." });

function Close({ onChange }: Changing) {
  return (
    <Form
      label="Close"
      schema={closing}
      start={{ from: "", to: "", name: "" }}
      onSend={({ from, to, name }) => onChange({ close: { from, to: to || undefined, name } })}
      className={look}
    >
      <DateField name="from" label="Closed from" />
      <DateField name="to" label="Closed until" />
      <TextField name="name" label="Reason" width="w-64 max-w-full" />
      <Send>Preview</Send>
    </Form>
  );
}

const recurring = z.object({
  from: check.date,
  days: z.coerce
    .number("Enter a number of days.")
    .int("Enter whole days.")
    .min(1, "Enter at least 1 day.")
    .max(366, "Enter at most 366 days."),
  kind: z.enum(["year", "month", "nth", "last", "week", "fortnight"]),
  name: reason,
});

function Recur({ onChange }: Changing) {
  return (
    <Form
      label="Recurring closure"
      schema={recurring}
      start={{ from: "", days: 1, kind: "year", name: "" }}
      onSend={({ from, days, kind, name }) =>
        onChange({ recur: { from, days, rule: ruleOf(kind, from), name, says: "" } })
      }
      className={look}
    >
      <DateField name="from" label="First date" />
      <TextField name="days" label="Length in days" inputMode="numeric" width="w-20" />
      <ChoiceField name="kind" label="Repeats" options={kinds} />
      <TextField name="name" label="Reason" width="w-56 max-w-full" />
      <Send>Preview</Send>
    </Form>
  );
}

const example = () => sayHours("10:00-13:00, 14:00-17:00");
const spans = (text: string) => readHours(text) ?? [];

const hoursText = check.text.refine((t) => readHours(t) !== undefined, {
  error: () => `Enter hours such as ${example()}. Leave empty for a closed day.`,
});

const opening = z.object({ date: check.date, hours: hoursText, name: reason });

function Open({ onChange }: Changing) {
  return (
    <Form
      label="Special hours"
      schema={opening}
      start={{ date: "", hours: sayHours("12:00-16:00"), name: "" }}
      onSend={({ date, hours, name }) => onChange({ open: { date, hours: spans(hours), name } })}
      className={look}
    >
      <DateField name="date" label="Date" />
      <TextField name="hours" label={`Hours, such as ${example()}`} width="w-64 max-w-full" />
      <TextField name="name" label="Reason" width="w-56 max-w-full" />
      <Send>Preview</Send>
    </Form>
  );
}

const weekly = z.object(Object.fromEntries(weekdays.map(([d]) => [d, hoursText])));

function Hours({ calendar, onChange }: Changing & { calendar: Calendar }) {
  const now = calendar.hours as Record<string, string[] | undefined>;
  return (
    <Form
      label="Weekly hours"
      schema={weekly}
      start={Object.fromEntries(weekdays.map(([d]) => [d, sayHours((now[d] ?? []).join(", "))]))}
      onSend={(hours) =>
        onChange({
          hours: Object.fromEntries(
            Object.entries(hours)
              .map(([d, text]) => [d, spans(text)] as const)
              .filter(([, s]) => s.length > 0),
          ),
        })
      }
      className={look}
    >
      <div className="grid w-full grid-cols-[repeat(auto-fill,minmax(200px,1fr))] gap-3">
        {weekdays.map(([d, name]) => (
          <TextField key={d} name={d} label={name} placeholder="closed" />
        ))}
      </div>
      <Send>Preview</Send>
    </Form>
  );
}
