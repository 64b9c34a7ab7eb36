import { Empty, Quiet, Tag, type Tone } from "../../ui/parts";
import { sayDate, sayHours } from "../../ui/say";
import { sayRule } from "./recurrence";
import type { Calendar, Change } from "./types";

type Removal = NonNullable<Change["remove"]>;

interface Entry {
  removal: Removal;
  tone: Tone;
  kind: string;
  says: string;
}

const entriesOf = (c: Calendar): Entry[] => [
  ...(c.recurring ?? []).map((r): Entry => ({
    removal: { kind: "recurring", date: r.from, name: r.name },
    tone: "buoy",
    kind: "Recurring",
    says: `from ${sayDate(r.from)}, ${sayRule(r.rule)}; ${r.says}`,
  })),
  ...(c.openings ?? []).map((o): Entry => ({
    removal: { kind: "opening", date: o.date, name: o.name },
    tone: "tide",
    kind: "Special hours",
    says: `${sayDate(o.date)}: ${o.hours?.length ? sayHours(o.hours.join(", ")) : "closed"}`,
  })),
  ...(c.closures ?? []).map((x): Entry => ({
    removal: { kind: "closure", date: x.from, name: x.name },
    tone: "plain",
    kind: "Closed",
    says: `${sayDate(x.from)}${x.to && x.to !== x.from ? ` to ${sayDate(x.to)}` : ""}`,
  })),
];

/** Everything that is entered in a calendar, each to be removed again. */
export function Entries({ calendar, onChange }: { calendar: Calendar; onChange: (c: Change) => void }) {
  const entries = entriesOf(calendar);
  if (entries.length === 0) return <Empty>Only the weekly hours are set for {calendar.name}.</Empty>;
  return (
    <ul className="grid max-h-80 gap-1 overflow-auto">
      {entries.map((e) => (
        <li key={e.kind + e.removal.date + e.removal.name} className="flex flex-wrap items-baseline gap-x-3">
          <Tag tone={e.tone}>{e.kind}</Tag> <b className="font-semibold">{e.removal.name}</b>
          <span className="flex-1 text-sm text-ink-2">{e.says}</span>
          <Quiet onClick={() => onChange({ remove: e.removal })}>Remove</Quiet>
        </li>
      ))}
    </ul>
  );
}
