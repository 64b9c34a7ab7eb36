import clsx from "clsx";
import { useState, type ReactNode } from "react";
import { api, told, type Schema } from "../../api/client";
import { Button, Card, Empty, Field, inputLook, Quiet, Tabs, Tag, Trouble } from "../../kit/parts";
import { sayDay } from "../../kit/say";
import type { Calendar, Change } from "./Calendars";

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
  ["recur", "Close again and again"],
  ["open", "Special hours"],
  ["hours", "Weekly hours"],
  ["file", "From a calendar file"],
  ["entries", "What is entered"],
] as const;

const say = (day: string) => sayDay(day + "T12:00:00Z");

/** Every way to change a calendar. Each only shows what it would touch; nothing counts before that is confirmed. */
export function CalendarForms({
  calendar,
  all,
  also,
  onAlso,
  onChange,
}: {
  calendar: Calendar;
  all: Schema["RulesValue"][];
  also: string[];
  onAlso: (codes: string[]) => void;
  onChange: (c: Change) => void;
}) {
  const [form, setForm] = useState<string>("close");
  return (
    <div className="grid gap-0 print:hidden">
      <Tabs label="Ways to change this calendar" tabs={forms} chosen={form} onChoose={setForm} />
      <Card label="Change the calendar" className="grid gap-3 rounded-t-none border-t-0 p-4">
        {form !== "entries" && (
          <fieldset className="flex flex-wrap items-center gap-1.5">
            <legend className="sr-only">Branches that it is for</legend>
            <span className="text-sm text-ink-2">For {calendar.name} and</span>
            {all
              .filter((b) => b.code !== calendar.branch)
              .map((b) => {
                const on = also.includes(b.code);
                return (
                  <button
                    key={b.code}
                    type="button"
                    aria-pressed={on}
                    onClick={() => onAlso(on ? also.filter((c) => c !== b.code) : [...also, b.code])}
                    className={clsx(
                      "cursor-pointer rounded border px-2 text-sm",
                      on ? "border-spruce-700 bg-spruce-700 text-white" : "border-line-strong bg-white",
                    )}
                  >
                    {b.name}
                  </button>
                );
              })}
            <Quiet onClick={() => onAlso(also.length ? [] : all.map((b) => b.code))}>
              {also.length ? "only here" : "all of them"}
            </Quiet>
          </fieldset>
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

function Form({ children, onSubmit }: { children: ReactNode; onSubmit: () => void }) {
  return (
    <form
      className="flex flex-wrap items-end gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        onSubmit();
      }}
    >
      {children}
      <Button type="submit">See what it touches</Button>
    </form>
  );
}

function Close({ onChange }: { onChange: (c: Change) => void }) {
  const [from, setFrom] = useState("");
  const [to, setTo] = useState("");
  const [name, setName] = useState("");
  return (
    <Form onSubmit={() => onChange({ close: { from, to: to || undefined, name } })}>
      <Field label="Closed from">
        <input type="date" required className={inputLook} value={from} onChange={(e) => setFrom(e.target.value)} />
      </Field>
      <Field label="to, if longer than a day">
        <input type="date" className={inputLook} min={from} value={to} onChange={(e) => setTo(e.target.value)} />
      </Field>
      <Field label="Reason">
        <input required className={`${inputLook} w-64`} value={name} onChange={(e) => setName(e.target.value)} />
      </Field>
    </Form>
  );
}

const rules = [
  ["FREQ=YEARLY", "every year on that date"],
  ["FREQ=MONTHLY", "every month on that day"],
  ["FREQ=WEEKLY;INTERVAL=2", "every other week"],
  ["own", "by a rule of my own"],
] as const;

function Recur({ onChange }: { onChange: (c: Change) => void }) {
  const [from, setFrom] = useState("");
  const [days, setDays] = useState("1");
  const [kind, setKind] = useState<string>("FREQ=YEARLY");
  const [own, setOwn] = useState("FREQ=MONTHLY;BYDAY=-1TU");
  const [name, setName] = useState("");
  return (
    <Form
      onSubmit={() =>
        onChange({ recur: { from, days: Number(days), rule: kind === "own" ? own : kind, name, says: "" } })
      }
    >
      <Field label="First time on">
        <input type="date" required className={inputLook} value={from} onChange={(e) => setFrom(e.target.value)} />
      </Field>
      <Field label="for days">
        <input
          type="number"
          min={1}
          max={366}
          className={`${inputLook} w-20`}
          value={days}
          onChange={(e) => setDays(e.target.value)}
        />
      </Field>
      <Field label="Comes again">
        <select className={inputLook} value={kind} onChange={(e) => setKind(e.target.value)}>
          {rules.map(([v, text]) => (
            <option key={v} value={v}>
              {text}
            </option>
          ))}
        </select>
      </Field>
      {kind === "own" && (
        <Field label="Recurrence rule of iCalendar">
          <input className={`${inputLook} w-72 font-mono`} value={own} onChange={(e) => setOwn(e.target.value)} />
        </Field>
      )}
      <Field label="Reason">
        <input required className={`${inputLook} w-56`} value={name} onChange={(e) => setName(e.target.value)} />
      </Field>
    </Form>
  );
}

const spans = (text: string) =>
  text
    .split(/[,;]\s*/)
    .map((s) => s.trim().replace(/\s*(–|-|to)\s*/, "-"))
    .filter(Boolean);

function Open({ onChange }: { onChange: (c: Change) => void }) {
  const [date, setDate] = useState("");
  const [hours, setHours] = useState("12:00-16:00");
  const [name, setName] = useState("");
  return (
    <Form onSubmit={() => onChange({ open: { date, hours: spans(hours), name } })}>
      <Field label="On">
        <input type="date" required className={inputLook} value={date} onChange={(e) => setDate(e.target.value)} />
      </Field>
      <Field label="Open, such as 10:00-13:00, 14:00-17:00">
        <input className={`${inputLook} w-64`} value={hours} onChange={(e) => setHours(e.target.value)} />
      </Field>
      <Field label="Reason">
        <input required className={`${inputLook} w-56`} value={name} onChange={(e) => setName(e.target.value)} />
      </Field>
    </Form>
  );
}

function Hours({ calendar, onChange }: { calendar: Calendar; onChange: (c: Change) => void }) {
  const [hours, setHours] = useState<Record<string, string>>(() =>
    Object.fromEntries(weekdays.map(([d]) => [d, ((calendar.hours as Record<string, string[]>)[d] ?? []).join(", ")])),
  );
  return (
    <Form
      onSubmit={() =>
        onChange({
          hours: Object.fromEntries(
            Object.entries(hours)
              .map(([d, text]) => [d, spans(text)] as const)
              .filter(([, s]) => s.length > 0),
          ),
        })
      }
    >
      <div className="grid w-full grid-cols-[repeat(auto-fill,minmax(200px,1fr))] gap-3">
        {weekdays.map(([d, name]) => (
          <Field key={d} label={name}>
            <input
              className={inputLook}
              placeholder="closed"
              value={hours[d] ?? ""}
              onChange={(e) => setHours({ ...hours, [d]: e.target.value })}
            />
          </Field>
        ))}
      </div>
    </Form>
  );
}

function FromFile({ onChange }: { onChange: (c: Change) => void }) {
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
                    {say(d.from)}
                    {d.to !== d.from && ` to ${say(d.to)}`}
                    {d.rule && `, again by ${d.rule}`}
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
            See what closing on {chosen.length === 1 ? "it" : "these"} touches
          </Button>
        </>
      )}
    </div>
  );
}

/** Everything that is entered in this calendar, each to be taken away again. */
function Entries({ calendar, onChange }: { calendar: Calendar; onChange: (c: Change) => void }) {
  const closures = calendar.closures ?? [];
  const openings = calendar.openings ?? [];
  const recurring = calendar.recurring ?? [];
  const remove = (kind: "closure" | "opening" | "recurring", date: string, name: string) =>
    onChange({ remove: { kind, date, name } });
  if (closures.length + openings.length + recurring.length === 0)
    return <Empty>Nothing but the weekly hours is entered for {calendar.name}.</Empty>;
  return (
    <ul className="grid max-h-80 gap-1 overflow-auto">
      {recurring.map((r) => (
        <li key={`r${r.from}${r.name}`} className="flex items-baseline gap-3">
          <Tag tone="buoy">Again and again</Tag> <b className="font-semibold">{r.name}</b>
          <span className="flex-1 text-sm text-ink-2">
            from {say(r.from)}, {r.rule}; {r.says}
          </span>
          <Quiet onClick={() => remove("recurring", r.from, r.name)}>Take away</Quiet>
        </li>
      ))}
      {openings.map((o) => (
        <li key={`o${o.date}`} className="flex items-baseline gap-3">
          <Tag tone="tide">Special hours</Tag> <b className="font-semibold">{o.name}</b>
          <span className="flex-1 text-sm text-ink-2">
            {say(o.date)}: {o.hours?.length ? o.hours.join(", ") : "closed"}
          </span>
          <Quiet onClick={() => remove("opening", o.date, o.name)}>Take away</Quiet>
        </li>
      ))}
      {closures.map((c, k) => (
        <li key={`c${k}`} className="flex items-baseline gap-3">
          <Tag tone="plain">Closed</Tag> <b className="font-semibold">{c.name}</b>
          <span className="flex-1 text-sm text-ink-2">
            {say(c.from)}
            {c.to && c.to !== c.from && ` to ${say(c.to)}`}
          </span>
          <Quiet onClick={() => remove("closure", c.from, c.name)}>Take away</Quiet>
        </li>
      ))}
    </ul>
  );
}
